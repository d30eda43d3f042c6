import { marked } from 'marked';

/** A section of the documentation. */
export interface HelpPage {
  /** Title of the document, and of the section. */
  book: string;
  title: string;
  html: string;
  /** Its words, to be searched. */
  text: string;
}

/** The keys that do something, by where they do it. */
export const KEYS: readonly { where: string; keys: readonly (readonly [string, string])[] }[] = [
  {
    where: 'Everywhere',
    keys: [
      ['Ctrl K', 'find anything'],
      ['Ctrl Z', 'undo'],
      ['Ctrl Y or Ctrl Shift Z', 'redo'],
      ['? or F1', 'this help'],
      ['Esc', 'close what is open'],
    ],
  },
  {
    where: 'In the stack',
    keys: [
      ['Enter', 'edit a condition'],
      ['Space', 'switch it off or on'],
      ['Alt ↑ and Alt ↓', 'move it'],
      ['Delete', 'remove it'],
    ],
  },
  {
    where: 'On the map',
    keys: [
      ['arrow keys, + and −', 'move and zoom; with Shift a little'],
      ['Space', 'ask what lies in the middle, or set a corner there'],
      ['] and [', 'take hold of a corner of the area being edited, which the arrows then move'],
      ['↑ and ↓ in a list of several', 'the feature before and after at this place'],
      ['Ctrl or Shift and a click', 'pick a feature'],
      ['digits and Enter while drawing', 'a length in metres'],
      ['Backspace while drawing', 'take the last corner back'],
    ],
  },
  {
    where: 'In the table',
    keys: [
      ['↑ and ↓', 'the feature before and after'],
      ['Space', 'pick it'],
      ['Shift and a click on a head', 'sort by this column too'],
      ['Shift and a click on a tick', 'pick all from the last one to here'],
    ],
  },
  {
    where: 'In charts',
    keys: [
      ['Ctrl and a click on a value', 'it alone'],
      ['Shift and a drag', 'extend the range'],
      ['← and →', 'move an end of the range, or the window along time'],
      ['Delete', 'take the range away'],
    ],
  },
];

const BOOKS = [
  { book: 'What it does', load: () => import('../../../../README.md?raw') },
  { book: 'Filters', load: () => import('../../../../docs/FILTERS.md?raw') },
  { book: 'Computing', load: () => import('../../../../docs/COMPUTING.md?raw') },
  { book: 'Services', load: () => import('../../../../docs/SERVICES.md?raw') },
  { book: 'Accuracy', load: () => import('../../../../docs/ACCURACY.md?raw') },
  { book: 'Safety', load: () => import('../../../../docs/SAFETY.md?raw') },
] as const;

/** The documentation that ships with the interface, section by section. */
export async function helpPages(): Promise<HelpPage[]> {
  const books = await Promise.all(BOOKS.map(async ({ book, load }) => sectionsOf(book, (await load()).default)));
  return books.flat();
}

/** The sections of a text in Markdown; pictures, which do not come with it, are left out. */
export function sectionsOf(book: string, markdown: string): HelpPage[] {
  const bare = markdown.replaceAll(/!\[[^\]]*\]\([^)]*\)/g, '').replaceAll(/\[([^\]]*)\]\((?!https?:)[^)]*\)/g, '$1');
  const parts = bare.split(/^(?=#{1,3} )/m).filter((part) => part.trim() !== '');
  return parts.flatMap((part) => {
    const [, title = book] = /^#+ +(.*)$/m.exec(part) ?? [];
    const body = part.replace(/^#+ +.*$/m, '').trim();
    if (body === '') return [];
    return { book, title: title.replaceAll('`', ''), html: marked.parse(body, { async: false }), text: `${title} ${body}` };
  });
}

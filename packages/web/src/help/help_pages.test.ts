import { sectionsOf } from './help_pages.ts';

test('a text is parted at its headings; pictures and links to files are left out', () => {
  const pages = sectionsOf(
    'Book',
    '# One\n\nFirst *part*. ![a picture](x.png)\n\n## `Two`\n\nSee [there](docs/X.md) and [here](https://example.org).\n\n## Empty\n',
  );
  expect(pages.map(({ title }) => title)).toEqual(['One', 'Two']);
  expect(pages[0].html).toContain('<em>part</em>');
  expect(pages[0].html).not.toContain('img');
  expect(pages[1].html).toContain('See there and <a href="https://example.org">');
});

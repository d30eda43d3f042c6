/** Place in a filter text: UTF-16 offsets, end exclusive. */
export interface Span {
  from: number;
  to: number;
}

/** What is wrong with a filter, where, and what would be right. */
export class FilterError extends Error {
  readonly span: Span | null;
  readonly hint: string | null;
  /** What would be right in the place of the span, where that is clear. */
  readonly replacement: string | null;

  constructor(message: string, span: Span | null = null, hint: string | null = null, replacement: string | null = null) {
    super(message);
    this.name = 'FilterError';
    this.span = span;
    this.hint = hint;
    this.replacement = replacement;
  }

  /** One line: the message, the position counted from 1, the hint. */
  get line(): string {
    const at = this.span ? ` (at character ${this.span.from + 1})` : '';
    return `${this.message}${at}${this.hint ? `. ${this.hint}` : ''}`;
  }
}

/** Why a file cannot be read: what is wrong, where in the file, and what to do about it. One sentence each. */
export class ReadError extends Error {
  readonly hint: string | null;

  constructor(message: string, hint: string | null = null) {
    super(message);
    this.name = 'ReadError';
    this.hint = hint;
  }

  get line(): string {
    return this.hint ? `${this.message}. ${this.hint}` : this.message;
  }
}

/** Thrown where a reader or writer notices that it was asked to stop. */
export class Cancelled extends Error {
  constructor() {
    super('Cancelled');
    this.name = 'Cancelled';
  }
}

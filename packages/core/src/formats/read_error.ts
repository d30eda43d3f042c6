/** Characters of a message: what a file holds can stand in it, and can be long. */
const LONGEST = 400;

/** Why a file cannot be read: what is wrong, where in the file, and what to do about it. One sentence each. */
export class ReadError extends Error {
  readonly hint: string | null;

  constructor(message: string, hint: string | null = null) {
    super(message.length <= LONGEST ? message : `${message.slice(0, LONGEST)} …`);
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

/** A command line that cannot be understood. */
export class UsageError extends Error {}

/** A message with the point that ends it, where it has no end of its own. */
export const sentence = (message: string): string => message.replace(/[^.?!…]$/, '$&.');

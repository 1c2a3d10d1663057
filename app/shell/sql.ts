/** A statement is at most this long, so that it fits into an address and can be linked. */
export const MOST_STATEMENT = 4000;

/** A new name for something in a document. */
export const newId = (): string => crypto.randomUUID();

import { fromByteArray, toByteArray } from 'base64-js';

/** Bytes as a text that may stand in a recipe in a file's place. */
export const asDataUrl = (bytes: Uint8Array): string => `data:application/octet-stream;base64,${fromByteArray(bytes)}`;

/** The same back. @throws Error when it is none */
export function bytesOfDataUrl(url: string): Uint8Array {
  try {
    return toByteArray(url.slice(url.indexOf(',') + 1));
  } catch {
    throw new Error('the file is damaged');
  }
}

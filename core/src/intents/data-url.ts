/** Bytes as a text that may stand in a recipe in a file's place. */
export function asDataUrl(bytes: Uint8Array): string {
  let text = '';
  for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192));
  return `data:application/octet-stream;base64,${btoa(text)}`;
}

/** The same back. @throws Error when it is none */
export function bytesOfDataUrl(url: string): Uint8Array {
  try {
    return Uint8Array.from(atob(url.slice(url.indexOf(',') + 1)), c => c.charCodeAt(0));
  } catch {
    throw new Error('the file is damaged');
  }
}

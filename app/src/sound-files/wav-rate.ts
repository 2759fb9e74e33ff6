import { looksLikeWav } from '@essim/core';

/** What a header is looked for in, bytes. */
const HEAD = 65536;

/** Rate in a WAV file's header; 0 when it is not in its first bytes, for the whole file will tell; null when it is no WAV file. */
export async function wavRate(file: Blob): Promise<number | null> {
  const head = new Uint8Array(await file.slice(0, HEAD).arrayBuffer());
  if (!looksLikeWav(head)) return null;
  const view = new DataView(head.buffer);
  for (let at = 12; at + 24 < head.length;) {
    const size = view.getUint32(at + 4, true);
    if (String.fromCharCode(...head.subarray(at, at + 4)) === 'fmt ') return view.getUint32(at + 12, true);
    at += 8 + size + (size & 1);
  }
  return 0;
}

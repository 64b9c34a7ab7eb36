/** Bytes as a request carries them, whatever letters they are written in. */
export function base64(bytes: Uint8Array): string {
  let text = "";
  for (let k = 0; k < bytes.length; k += 0x8000) text += String.fromCharCode(...bytes.subarray(k, k + 0x8000));
  return btoa(text);
}

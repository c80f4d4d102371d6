/** The bytes of a file as text. */
export function base64(content: ArrayBuffer): string {
  let text = "";
  for (const byte of new Uint8Array(content)) text += String.fromCharCode(byte);
  return btoa(text);
}

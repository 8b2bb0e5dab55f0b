/** A short mark of a text, to tell whether two are the same: FNV-1a (Fowler, Noll and Vo), 32 bits over UTF-16 units, in hex. */
export function checksum(text: string): string {
  let sum = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) sum = Math.imul(sum ^ text.charCodeAt(i), 0x01000193);
  return (sum >>> 0).toString(16).padStart(8, '0');
}

import { Unzip, UnzipInflate } from 'fflate';

/** How many bytes some files of a zip may have together, unfolded. */
export interface Room {
  left: number;
}

export interface Unzipping {
  /** So many entries at most. */
  readonly entries: number;
  /** The room that a file takes of; undefined for one that is not wanted. May throw, which ends the unzipping. */
  readonly roomFor: (name: string) => Room | undefined;
  /** What is thrown where a zip is too large (`entries`, or the room of a file), or is no whole zip. */
  readonly refusal: (why: 'entries' | 'damaged' | Room) => Error;
}

const CHUNK_BYTES = 16_384;

/**
 * The wanted files of a zip, from its beginning to its end: each byte is read once and what comes of it is counted as it comes, so that
 * neither a size that lies nor entries that share their bytes let more through. `open` files broke off before their end.
 */
export function unzipped(
  bytes: Uint8Array,
  { entries, roomFor, refusal }: Unzipping,
): { files: Map<string, Uint8Array>; open: number } {
  const files = new Map<string, Uint8Array>();
  let [count, open] = [0, 0];
  // The first that is refused is told, whatever the library makes of it; where it gives up by itself, the zip is damaged.
  let refused: Error | undefined;
  const refuse = (why: 'entries' | 'damaged' | Room): Error => (refused ??= refusal(why));
  const roomOf = (name: string): Room | undefined => {
    try {
      return roomFor(name);
    } catch (error) {
      refused ??= error as Error;
      throw error;
    }
  };
  const unzip = new Unzip((file) => {
    if (++count > entries) throw refuse('entries');
    const room = roomOf(file.name);
    if (!room) return;
    const parts: Uint8Array[] = [];
    file.ondata = (error, part, final) => {
      if (error) throw refuse('damaged');
      room.left -= part.length;
      if (room.left < 0) throw refuse(room);
      parts.push(part);
      if (!final) return;
      files.set(file.name, Buffer.concat(parts));
      open--;
    };
    open++;
    file.start();
  });
  unzip.register(UnzipInflate);
  try {
    for (let at = 0; at < bytes.length; at += CHUNK_BYTES)
      unzip.push(bytes.subarray(at, at + CHUNK_BYTES), at + CHUNK_BYTES >= bytes.length);
  } catch {
    throw refuse('damaged');
  }
  return { files, open };
}

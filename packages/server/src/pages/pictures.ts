import type { Files } from '../files/files.js';
import { shownAs, type ResultDocument } from '@primrose/core';
import type { PictureRead } from './picture.js';

const TYPES: Readonly<Record<string, PictureRead['type']>> = { 'image/png': 'png', 'image/jpeg': 'jpg', 'image/gif': 'gif' };

/** The pictures of a result, for files that are written: those that are kept here, and those that stand in their address. Nothing is fetched. */
export async function picturesOf(
  files: Pick<Files, 'at'>,
  { sections }: ResultDocument,
): Promise<ReadonlyMap<string, PictureRead>> {
  const read = await Promise.all(
    sections.map(async ({ form, value, title }) => {
      const shown = shownAs(form, value, title);
      const picture = shown.as === 'picture' ? await readPicture(files, shown.address) : undefined;
      return shown.as === 'picture' && picture ? [[shown.address, picture] as const] : [];
    }),
  );
  return new Map(read.flat());
}

async function readPicture(files: Pick<Files, 'at'>, address: string): Promise<PictureRead | undefined> {
  const held = /^data:(image\/[a-z]+);base64,(.*)$/s.exec(address);
  const row = held ? undefined : await files.at(address);
  const type = TYPES[held?.[1] ?? row?.type ?? ''];
  const bytes = held ? Buffer.from(held[2] ?? '', 'base64') : row?.bytes;
  const size = type && bytes ? sizeOfPicture(type, bytes) : undefined;
  return type && bytes && size ? { type, bytes, ...size } : undefined;
}

/** Width and height as the head of a picture tells them; undefined where it is broken. */
function sizeOfPicture(type: PictureRead['type'], bytes: Buffer): { width: number; height: number } | undefined {
  if (type === 'png') return bytes.length < 24 ? undefined : sized(bytes.readUInt32BE(16), bytes.readUInt32BE(20));
  if (type === 'gif') return bytes.length < 10 ? undefined : sized(bytes.readUInt16LE(6), bytes.readUInt16LE(8));
  for (let at = 2; at + 9 < bytes.length && bytes[at] === 0xff; at += 2 + bytes.readUInt16BE(at + 2)) {
    const marker = bytes[at + 1] ?? 0;
    const frame = marker >= 0xc0 && marker <= 0xcf && ![0xc4, 0xc8, 0xcc].includes(marker);
    if (frame) return sized(bytes.readUInt16BE(at + 7), bytes.readUInt16BE(at + 5));
  }
  return undefined;
}

const sized = (width: number, height: number) => (width > 0 && height > 0 ? { width, height } : undefined);

import { randomBytes } from 'node:crypto';
import { escapeMarkdown, type ModelEffect, type ModelMessage, type SentFile } from '@primrose/core';
import { newId, type Clock } from '../base/clock.js';
import { Refused, type Refusals } from '../base/refused.js';
import type { AskDrawing, PerformDraw } from '../outside/drawing.js';
import type { Db } from '../store/database.js';
import { findFile, insertFile, sentSince, unsaidBytes, type FileRow } from '../store/files.js';
import type { FetchFile } from './fetching.js';
import { MOST_FILE_BYTES } from './limits.js';
import { mediaOf } from './media.js';

/** So many files and bytes are taken of one sender in an hour. */
const MOST_FILES = 40;
const MOST_BYTES = 40_000_000;
/** So many bytes may wait with a bot to be said with a message; what nobody says goes after a day. */
const MOST_UNSAID = 400_000_000;
const HOUR_MS = 3_600_000;

export interface FilePlace {
  readonly botId: string;
  /** Empty for real ones, else the simulation. */
  readonly realm: string;
  readonly visitorId: string | null;
  readonly conversationId: string | null;
  /** Who sends it, so that nobody sends too much; null where the bot made it itself. */
  readonly owner: string | null;
}

/** A file that is kept, as an event names it. */
export interface KeptFile extends SentFile {
  readonly id: string;
  readonly picture: boolean;
}

/** Files as an event holds them and as the conversation shows them, with their ids. */
interface Sent {
  readonly said: { readonly pictures?: string[]; readonly files?: SentFile[] };
  readonly shown: string;
  readonly ids: readonly string[];
}

function sentFiles(pictures: string[], files: SentFile[]): Omit<Sent, 'ids'> {
  const links = files.map((f) => `[${escapeMarkdown(f.name)}](${f.address})`);
  return {
    said: { ...(pictures.length > 0 ? { pictures } : {}), ...(files.length > 0 ? { files } : {}) },
    shown: [...pictures.map((p) => `![a picture](${p})`), ...links].join(' '),
  };
}

/** Why a file that came is not kept, in few words. */
function whyLost({ code, facts }: Refused): string {
  if (code === 'file-type') return (facts as Refusals['file-type']).reason;
  return code === 'file-too-large' ? 'it is too large' : 'too much was sent within the hour';
}

/** Keeps pictures and files that visitors send or bots draw, and hands them out to whoever has their address. */
export class Files {
  readonly #db: Db;
  readonly #clock: Clock;
  readonly #publicUrl: string;
  readonly #fetch: FetchFile;

  constructor({ db, clock, publicUrl, fetch }: { db: Db; clock: Clock; publicUrl: string; fetch: FetchFile }) {
    this.#db = db;
    this.#clock = clock;
    this.#publicUrl = publicUrl;
    this.#fetch = fetch;
  }

  /** Keeps a file. Refused where it is too large, of another kind than is taken, or more than one sender may send. */
  async keep(bytes: Uint8Array, { name, declared }: { name: string; declared: string }, place: FilePlace): Promise<KeptFile> {
    if (bytes.length > MOST_FILE_BYTES) throw new Refused('file-too-large', { size: bytes.length, most: MOST_FILE_BYTES });
    const media = await mediaOf(bytes, name, declared);
    if (!media.ok) throw new Refused('file-type', { reason: media.reason });
    const now = this.#clock.now();
    if (place.owner !== null) {
      const sent = await sentSince(this.#db, place.owner, new Date(now.getTime() - HOUR_MS));
      if (sent.count >= MOST_FILES || sent.size + bytes.length > MOST_BYTES) throw new Refused('files-enough', {});
      if (place.conversationId === null && (await unsaidBytes(this.#db, place.botId)) > MOST_UNSAID)
        throw new Refused('files-enough', {});
    }
    const id = newId(this.#clock);
    const token = randomBytes(18).toString('base64url');
    const plain = name.replace(/[^\p{L}\p{N} ._-]+/gu, '-').slice(0, 120) || 'file';
    await insertFile(this.#db, { id, ...place, token, name: plain, type: media.type, bytes, at: now });
    const address = `${this.#publicUrl}/files/${id}/${token}`;
    const text = media.text === undefined ? {} : { text: media.text };
    return { id, name: plain, type: media.type, size: bytes.length, address, picture: media.picture, ...text };
  }

  /** Files that somebody has sent, as an event holds them. Refused where one of them is not theirs. */
  async sentBy(owner: string, addresses: readonly string[]): Promise<Sent> {
    const sent: SentFile[] = [];
    const pictures: string[] = [];
    const ids: string[] = [];
    for (const address of addresses) {
      const row = await this.at(address);
      if (row?.owner !== owner) throw new Refused('no-such-file', {});
      ids.push(row.id);
      const media = await mediaOf(row.bytes, row.name, row.type);
      if (media.ok && media.picture) pictures.push(address);
      else {
        const text = media.ok && media.text !== undefined ? { text: media.text } : {};
        sent.push({ name: row.name, type: row.type, size: row.size, address, ...text });
      }
    }
    return { ...sentFiles(pictures, sent), ids };
  }

  /**
   * Fetches what a messenger sent by its address, and keeps it. What cannot be had, or is not taken, is left out, each with why; all of it
   * takes until `until` at most.
   */
  async fetched(
    addresses: readonly string[],
    {
      place,
      headers,
      until,
    }: { place: FilePlace; headers: (address: string) => Readonly<Record<string, string>>; until: number },
  ): Promise<Omit<Sent, 'ids'> & { readonly lost: readonly string[] }> {
    const files: { name: string; type: string; bytes: Uint8Array }[] = [];
    const lost: string[] = [];
    for (const address of addresses) {
      const came = await this.#fetch(address, headers(address), until - this.#clock.now().getTime());
      if (came.ok) files.push(came);
      else lost.push(came.reason);
    }
    const kept = await this.keptAll(files, place);
    return { ...kept, lost: [...lost, ...kept.lost] };
  }

  /** Keeps files that came along with a message, each that is taken; the rest is left out, each with why. */
  async keptAll(
    files: readonly { readonly name: string; readonly type: string; readonly bytes: Uint8Array }[],
    place: FilePlace,
  ): Promise<Omit<Sent, 'ids'> & { readonly lost: readonly string[] }> {
    const pictures: string[] = [];
    const kept: SentFile[] = [];
    const lost: string[] = [];
    for (const { name, type, bytes } of files) {
      try {
        const { id: _id, picture, ...file } = await this.keep(bytes, { name, declared: type }, place);
        if (picture) pictures.push(file.address);
        else kept.push(file);
      } catch (error) {
        if (!(error instanceof Refused)) throw error;
        lost.push(whyLost(error as Refused));
      }
    }
    return { ...sentFiles(pictures, kept), lost };
  }

  /** A file by its address of ours; undefined for any other address, and where it is not kept any more. */
  async at(address: string): Promise<FileRow | undefined> {
    const rest = address.startsWith(`${this.#publicUrl}/files/`) ? address.slice(`${this.#publicUrl}/files/`.length) : '';
    const [, id, token] = /^([0-9a-f-]{36})\/([A-Za-z0-9_-]{24})$/.exec(rest) ?? [];
    return id === undefined || token === undefined ? undefined : this.by(id, token);
  }

  by(id: string, token: string): Promise<FileRow | undefined> {
    return findFile(this.#db, id, token);
  }

  /** Keeps what a model drew, and says where it is. */
  drawn(ask: AskDrawing, place: FilePlace): PerformDraw {
    return async (effect, reach, stop) => {
      const came = await ask(effect, reach, stop);
      if (came.outcome === 'failed') return came;
      const kept = await this.keep(came.bytes, { name: 'drawn', declared: came.type }, place);
      return { outcome: 'drawn', address: kept.address, media: kept.type, size: kept.size };
    };
  }

  /** A request with the pictures that are kept here in it, as a model cannot come here to fetch them. */
  async filled(effect: ModelEffect): Promise<ModelEffect> {
    const messages = await Promise.all(effect.messages.map((m) => this.#filledMessage(m)));
    const before = effect.before && (await Promise.all(effect.before.map((m) => this.#filledMessage(m))));
    return { ...effect, messages, ...(before ? { before } : {}) };
  }

  async #filledMessage(message: ModelMessage): Promise<ModelMessage> {
    if (!('pictures' in message) || !message.pictures) return message;
    const pictures = await Promise.all(
      message.pictures.map(async (address) => {
        const row = await this.at(address);
        return row ? `data:${row.type};base64,${row.bytes.toString('base64')}` : address;
      }),
    );
    return { ...message, pictures };
  }
}

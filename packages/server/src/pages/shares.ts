import { randomBytes } from 'node:crypto';
import type { GalleryItem, PageShare } from '@primrose/contract';
import { newId, type Clock } from '../base/clock.js';
import { dayIn } from '../base/day.js';
import { Refused } from '../base/refused.js';
import type { BotLoader } from '../bots/loader.js';
import { formPage, isTakenBack, NEW_SHARE, readShare, type ShareSettings } from '../channels/form-page/form-page.js';
import * as channels from '../store/channels.js';
import type { Db } from '../store/database.js';
import { spentOn } from '../store/pages.js';
import { hashPassword } from './keys.js';

export interface SharesParts {
  readonly db: Db;
  readonly clock: Clock;
  readonly loader: BotLoader;
  readonly publicUrl: string;
}

type Change = Partial<Omit<ShareSettings, 'page' | 'password' | 'limits' | 'ended'>> & {
  readonly name?: string | undefined;
  readonly on?: boolean | undefined;
  readonly password?: string | undefined;
  readonly limits?: { [K in keyof ShareSettings['limits']]?: ShareSettings['limits'][K] | undefined } | undefined;
  readonly newLink?: true | undefined;
};

const LINK_BYTES = 16;
const MOST_IN_GALLERY = 500;

/** A shared page, with what was set for it. */
export interface OpenShare {
  readonly channel: channels.ServingChannel;
  readonly share: ShareSettings;
}

/** Shares pages under links, and finds them by these. */
export class Shares {
  readonly #parts: SharesParts;

  constructor(parts: SharesParts) {
    this.#parts = parts;
  }

  static newLink(): string {
    return randomBytes(LINK_BYTES).toString('base64url');
  }

  /** The page under a link that may be opened now. Refused where there is none, it is off, or its time is over. */
  async at(link: string): Promise<OpenShare> {
    const { db, clock } = this.#parts;
    const channel = await channels.channelByAddress(db, link, formPage.kind);
    if (!channel || channel.bot_deleted !== null) throw new Refused('no-shared-page', {});
    const share = readShare(channel.settings);
    if (share.ended) throw new Refused('no-shared-page', {});
    if (channel.is_on !== 1) throw new Refused('page-off', {});
    if (share.until !== null && clock.now() >= new Date(share.until)) throw new Refused('page-over', {});
    return { channel, share };
  }

  /** The links of a bot's pages. */
  async list(botId: string, zone: string): Promise<PageShare[]> {
    const rows = (await channels.listChannels(this.#parts.db, botId)).filter((c) => c.kind === formPage.kind);
    const open = rows.filter((c) => !isTakenBack(c));
    return Promise.all(open.map((c) => this.#view(c, zone)));
  }

  async make(botId: string, page: string, name: string | undefined, zone: string): Promise<PageShare> {
    const { db, clock } = this.#parts;
    const id = newId(clock);
    const settings: ShareSettings = { ...NEW_SHARE, page };
    const address = Shares.newLink();
    await channels.insertChannel(db, {
      id,
      bot_id: botId,
      kind: formPage.kind,
      address,
      name: name ?? page,
      settings: JSON.stringify(settings),
    });
    return this.#view(await this.#own(botId, id), zone);
  }

  async change(botId: string, id: string, change: Change, zone: string): Promise<PageShare> {
    const { db } = this.#parts;
    const row = await this.#own(botId, id);
    const before = readShare(row.settings);
    const { name, on, password, newLink, limits, ...rest } = change;
    const kept = password === undefined ? before.password : await hashPassword(password);
    const given = Object.fromEntries(Object.entries(rest).filter(([, v]) => v !== undefined));
    const own = Object.fromEntries(Object.entries(limits ?? {}).filter(([, v]) => v !== undefined));
    const settings: ShareSettings = { ...before, ...given, limits: { ...before.limits, ...own }, password: kept };
    if (settings.access === 'password' && kept === null) throw new Refused('share-password', {});
    await channels.updateChannel(db, botId, id, {
      settings: JSON.stringify(settings),
      ...(name === undefined ? {} : { name }),
      ...(on === undefined ? {} : { is_on: on }),
    });
    if (newLink) await channels.moveChannel(db, botId, id, Shares.newLink());
    return this.#view(await this.#own(botId, id), zone);
  }

  /** Takes a link back for good. */
  async end(botId: string, id: string): Promise<void> {
    const { db } = this.#parts;
    const row = await this.#own(botId, id);
    const settings: ShareSettings = { ...readShare(row.settings), ended: true, gallery: 'none' };
    await channels.updateChannel(db, botId, id, { settings: JSON.stringify(settings), is_on: false });
    await channels.moveChannel(db, botId, id, Shares.newLink());
  }

  /** Pages that stand in the gallery: public ones, and for people of this service private ones as well. */
  async gallery(forPeople: boolean): Promise<GalleryItem[]> {
    const { db, clock, loader, publicUrl } = this.#parts;
    const rows = await channels.channelsOfKind(db, formPage.kind, MOST_IN_GALLERY);
    const items = await Promise.all(
      rows.map(async (channel): Promise<GalleryItem | undefined> => {
        const share = readShare(channel.settings);
        const over = share.until !== null && clock.now() >= new Date(share.until);
        const shows = share.gallery === 'public' || (forPeople && share.gallery === 'private');
        if (!shows || over || share.ended || channel.live_id === null) return undefined;
        const page = (await loader.release(channel.live_id)).bot.document.pages?.[share.page];
        if (!page) return undefined;
        return {
          title: page.title,
          about: page.about ?? null,
          category: page.category ?? null,
          link: channel.address,
          address: formPage.link(publicUrl, channel.address, null),
          copies: forPeople && share.copies,
        };
      }),
    );
    const found = items.filter((i) => i !== undefined);
    return found.sort((a, b) => (a.category ?? '~').localeCompare(b.category ?? '~') || a.title.localeCompare(b.title));
  }

  async #own(botId: string, id: string): Promise<channels.ServingChannel> {
    const channel = await channels.channelById(this.#parts.db, id);
    if (channel?.bot_id !== botId || channel.kind !== formPage.kind) throw new Refused('no-share', {});
    if (readShare(channel.settings).ended) throw new Refused('no-share', {});
    return channel;
  }

  async #view(channel: channels.ServingChannel, zone: string): Promise<PageShare> {
    const { db, clock, publicUrl } = this.#parts;
    const { page, access, until, gallery, copies, limits } = readShare(channel.settings);
    const { all } = await spentOn(db, channel.id, dayIn(zone, clock.now()), '');
    return {
      id: channel.id,
      page,
      name: channel.name ?? page,
      link: formPage.link(publicUrl, channel.address, null),
      on: channel.is_on === 1,
      access,
      until,
      gallery,
      copies,
      limits: { ...limits },
      release: channel.live_number === null ? null : { number: channel.live_number, follows: channel.bound_number === null },
      today: all,
    };
  }
}

import { GALLERY, PAGE_ACCESS } from '@primrose/contract';
import { z } from 'zod';
import type { ChannelKind } from '../channel.js';
import { SHOWS_ALL } from '../shows-all.js';

const settings = z.strictObject({
  /** The page of the bot that is shared. */
  page: z.string(),
  access: z.enum(PAGE_ACCESS),
  /** As `hashPassword` keeps it; null where there is none. */
  password: z.string().nullable(),
  until: z.iso.datetime().nullable(),
  gallery: z.enum(GALLERY),
  copies: z.boolean(),
  limits: z.strictObject({ visitor: z.number().nullable(), day: z.number().nullable(), budget: z.number().nullable() }),
  /** It was taken back for good. */
  ended: z.literal(true).optional(),
});
/** How a page is shared: `channels.settings` of the kind. */
export type ShareSettings = z.infer<typeof settings>;

/** A page of a bot under a link: a form that is filled in, and what came of it. */
export const formPage: ChannelKind = {
  kind: 'page',
  name: 'Page',
  about: 'a form under a link',
  settings,
  ability: () => ({ ...SHOWS_ALL, typing: false, takes: { ...SHOWS_ALL.takes, reactions: false } }),
  link: (publicUrl, address) => `${publicUrl}/pages/${address}`,
};

/** `channels.settings` of a shared page. */
export function readShare(stored: string | null): ShareSettings {
  return settings.parse(JSON.parse(stored ?? '{}'));
}

export const NEW_SHARE: Omit<ShareSettings, 'page'> = {
  access: 'link',
  password: null,
  until: null,
  gallery: 'none',
  copies: false,
  limits: { visitor: null, day: null, budget: null },
};

/** True for the channel of a page whose link was taken back for good. */
export function isTakenBack({ kind, settings: stored }: { readonly kind: string; readonly settings: string | null }): boolean {
  return kind === formPage.kind && readShare(stored).ended === true;
}

import { Parser } from 'htmlparser2';

/** What a page says to whoever goes on from it. Addresses are as they are written there, and may be relative. */
export interface PageLinks {
  /** Where its links lead, each once, in their order. */
  readonly links: readonly string[];
  /** What its links are relative to, where it says so. */
  readonly base: string | undefined;
  /** The address under which it wants to be known. */
  readonly canonical: string | undefined;
  /** It lets itself be kept, and its links be followed (robots meta tag). */
  readonly kept: boolean;
  readonly followed: boolean;
}

/** So many links of a page are looked at. */
const MOST_LINKS = 2000;
const MOST_ADDRESS = 2000;

/** The links of a page, wherever on it they stand: menus lead through a site, though they are not read. Nothing in it is run. */
export function pageLinks(html: string): PageLinks {
  const links = new Set<string>();
  let [base, canonical]: (string | undefined)[] = [];
  let [kept, followed] = [true, true];
  const usable = (address: string | undefined): string | undefined => {
    const tidy = address?.trim() ?? '';
    return tidy !== '' && tidy.length <= MOST_ADDRESS ? tidy : undefined;
  };
  const parser = new Parser({
    onopentag: (name, { href, rel = '', name: called = '', content = '' }) => {
      const address = usable(href);
      const rels = rel.toLowerCase().split(/\s+/);
      if (name === 'base') base ??= address;
      else if (name === 'link' && rels.includes('canonical')) canonical ??= address;
      else if ((name === 'a' || name === 'area') && address && !rels.includes('nofollow') && links.size < MOST_LINKS)
        links.add(address);
      else if (name === 'meta' && called.toLowerCase() === 'robots') {
        const rules = content.toLowerCase().split(/[\s,]+/);
        if (rules.includes('noindex') || rules.includes('none')) kept = false;
        if (rules.includes('nofollow') || rules.includes('none')) followed = false;
      }
    },
  });
  parser.write(html);
  parser.end();
  return { links: [...links], base, canonical, kept, followed };
}

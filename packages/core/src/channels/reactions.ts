const HELPFUL = /^(?:👍|👌|❤|♥|💙|💚|🙏|😀|😃|😄|😊|🙂|🎉|👏|💯|✅|☀|\+1|:?thumbs_?up:?|:?heart:?|yes|good|helpful)/u;
const UNHELPFUL = /^(?:👎|😠|😡|🙁|☹|😞|😕|💔|❌|-1|:?thumbs_?down:?|no|bad|unhelpful)/u;

/** What somebody thinks of an answer, by the sign with which they react to it; null for one that is taken back, undefined where it tells neither. */
export function thoughtOf(sign: string): boolean | null | undefined {
  const bare = sign.trim().toLowerCase();
  if (bare === '') return null;
  if (HELPFUL.test(bare)) return true;
  return UNHELPFUL.test(bare) ? false : undefined;
}

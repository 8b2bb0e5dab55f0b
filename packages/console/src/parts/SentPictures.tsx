/** Pictures that came with a message, small; nothing but an address of a picture is shown. */
export function SentPictures({ pictures }: { readonly pictures: readonly string[] }) {
  return pictures.map((address, i) => (
    <img
      key={i}
      src={address}
      alt="a picture that was sent"
      referrerPolicy="no-referrer"
      style={{ display: 'block', maxWidth: 180, maxHeight: 120, marginTop: 4, borderRadius: 3 }}
    />
  ));
}

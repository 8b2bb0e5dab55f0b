/** An event as it came: the fields of its block by name. */
export type StreamEvent = ReadonlyMap<string, string>;

/** Reads server-sent events (WHATWG HTML, 9.2) in their order until the stream ends, or whoever reads them stops. */
export async function* eventsOf(body: ReadableStream<Uint8Array<ArrayBuffer>>): AsyncGenerator<StreamEvent> {
  const reader = body.pipeThrough(new TextDecoderStream()).getReader();
  let rest = '';
  for (;;) {
    const { value, done } = await reader.read();
    if (done) return;
    const blocks = (rest + value).split('\n\n');
    rest = blocks.pop() ?? '';
    for (const block of blocks)
      yield new Map(
        block.split('\n').map((line): [string, string] => {
          const at = line.indexOf(': ');
          return [line.slice(0, at), line.slice(at + 2)];
        }),
      );
  }
}

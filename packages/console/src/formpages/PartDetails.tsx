import {
  formOfType,
  INPUT_FORMS,
  isChatPart,
  isInputPart,
  isOutputPart,
  makingsOf,
  OUTPUT_FORMS,
  type InputPart,
  type OutputPart,
  type Page,
  type PagePart,
  type Value,
} from '@primrose/core';
import { TextInput } from '../details/fields.js';
import { useDraftHandle } from '../draft/context.js';
import { MakerPrompts } from './MakerPrompts.js';
import { INPUT_WORDS, OUTPUT_WORDS, partName, widthOf } from './words.js';

interface PartProps<P> {
  readonly page: Page;
  readonly part: P;
  readonly onChange: (next: PagePart) => void;
}

/** A part without some of its fields where their text is empty: what is not said is left out. */
function said<P extends PagePart>(part: P, field: string, value: string): P {
  const { [field as keyof P]: _old, ...rest } = part;
  return (value === '' ? rest : { ...rest, [field]: value }) as P;
}

/** What can be said of one part of a page. */
export function PartDetails({
  page,
  part,
  onChange,
  onMove,
  onRemove,
}: PartProps<PagePart> & { readonly onMove: (by: number) => void; readonly onRemove: () => void }) {
  const wide = widthOf(part);
  return (
    <section aria-label={`Part: ${partName(part)}`} className="partdetails">
      <header>
        <h3 dir="auto">{partName(part)}</h3>
        <button type="button" className="bare note" onClick={onRemove}>
          remove
        </button>
      </header>
      <div className="inrow places">
        <button type="button" className="bare" onClick={() => onMove(-1)}>
          earlier
        </button>
        <button type="button" className="bare" onClick={() => onMove(1)}>
          later
        </button>
        <label>
          <span>Columns</span>
          <input
            className="form-control"
            type="number"
            min={2}
            max={12}
            value={wide}
            onChange={(e) => onChange({ ...part, wide: Math.max(2, Math.min(12, Number(e.target.value) || 12)) })}
          />
        </label>
      </div>
      {isInputPart(part) && <InputFields page={page} part={part} onChange={onChange} />}
      {isOutputPart(part) && <OutputFields page={page} part={part} onChange={onChange} />}
      {isChatPart(part) && <ChatFields page={page} part={part} onChange={onChange} />}
      {'text' in part && (
        <label className="fld">
          <span>Words, with CommonMark</span>
          <textarea
            className="form-control"
            rows={6}
            value={part.text}
            onChange={(e) => onChange({ ...part, text: e.target.value.slice(0, 20_000) })}
          />
        </label>
      )}
      {'picture' in part && (
        <>
          <PictureInput label="Picture" onPicture={(picture) => onChange({ ...part, picture })} />
          <TextInput label="What is seen" value={part.alt} onChange={(alt) => onChange({ ...part, alt: alt.slice(0, 300) })} />
        </>
      )}
    </section>
  );
}

function Worded({
  part,
  onChange,
}: {
  readonly part: InputPart | OutputPart | Extract<PagePart, { chat: string }>;
  readonly onChange: (next: PagePart) => void;
}) {
  return (
    <>
      <TextInput
        label="Label"
        value={part.label ?? ''}
        placeholder={partName(part)}
        onChange={(v) => onChange(said(part, 'label', v.slice(0, 120)))}
      />
      <TextInput label="Help" value={part.help ?? ''} onChange={(v) => onChange(said(part, 'help', v.slice(0, 500)))} />
    </>
  );
}

function InputFields({ page, part, onChange }: PartProps<InputPart>) {
  const { document } = useDraftHandle();
  const takes = document.flows[page.flow]?.takes ?? {};
  const choose = (input: string) => {
    const type = takes[input];
    onChange({ ...part, input, as: type === undefined ? part.as : formOfType(type) });
  };
  return (
    <>
      <Chosen label="Input of the flow" value={part.input} of={Object.keys(takes)} onChange={choose} />
      <Chosen
        label="Filled in as"
        value={part.as}
        of={INPUT_FORMS}
        words={INPUT_WORDS}
        onChange={(as) => onChange({ ...part, as: as as InputPart['as'] })}
      />
      <Worded part={part} onChange={onChange} />
      {(part.as === 'choice' || part.as === 'choices') && (
        <label className="fld">
          <span>What can be chosen, one a line</span>
          <textarea
            className="form-control"
            rows={4}
            defaultValue={(part.of ?? []).join('\n')}
            onBlur={(e) => {
              const of = e.target.value
                .split('\n')
                .map((l) => l.trim().slice(0, 120))
                .filter(Boolean)
                .slice(0, 60);
              const { of: _old, ...rest } = part;
              onChange(of.length === 0 ? rest : { ...rest, of });
            }}
          />
        </label>
      )}
      {part.as !== 'file' && part.as !== 'picture' && part.as !== 'choices' && (
        <TextInput label="Holds at first" value={firstWords(part.first)} onChange={(v) => onChange(said(part, 'first', v))} />
      )}
    </>
  );
}

/** What an input holds at first, as it is typed. */
const firstWords = (first: Value | undefined): string =>
  typeof first === 'string' || typeof first === 'number' ? String(first) : '';

function OutputFields({ page, part, onChange }: PartProps<OutputPart>) {
  const { document } = useDraftHandle();
  const gives = Object.keys(document.flows[page.flow]?.gives ?? {});
  const making = makingsOf(document, page.flow).get(part.output);
  return (
    <>
      <Chosen label="Output of the flow" value={part.output} of={gives} onChange={(output) => onChange({ ...part, output })} />
      <Chosen
        label="Shown as"
        value={part.as ?? ''}
        of={['', ...OUTPUT_FORMS]}
        words={{ '': 'as its type says', ...OUTPUT_WORDS }}
        onChange={(as) => onChange(said(part, 'as', as))}
      />
      <Chosen
        label="Cites passages of"
        value={part.sources ?? ''}
        of={['', ...gives.filter((g) => g !== part.output)]}
        words={{ '': 'nothing' }}
        onChange={(sources) => onChange(said(part, 'sources', sources))}
      />
      <Worded part={part} onChange={onChange} />
      <label className="tick">
        <input
          type="checkbox"
          className="form-check-input"
          checked={part.hides ?? false}
          onChange={(e) => {
            const { hides: _old, ...rest } = part;
            onChange(e.target.checked ? { ...rest, hides: true } : rest);
          }}
        />
        not there while it has no value
      </label>
      {making && making.inputs.length + making.outputs.length > 0 && (
        <p className="note">
          Made from {[...making.inputs, ...making.outputs].map((n) => n.replaceAll('_', ' ')).join(', ')}.
          {making.together.length > 0 ? ` Comes together with ${making.together.join(', ').replaceAll('_', ' ')}.` : ''}
        </p>
      )}
      {making && <MakerPrompts making={making} />}
    </>
  );
}

function ChatFields({ part, onChange }: PartProps<Extract<PagePart, { chat: string }>>) {
  const { document } = useDraftHandle();
  return (
    <>
      <Chosen
        label="Led in the flow"
        value={part.chat}
        of={Object.keys(document.flows)}
        onChange={(chat) => onChange({ ...part, chat })}
      />
      <Worded part={part} onChange={onChange} />
    </>
  );
}

interface ChosenProps {
  readonly label: string;
  readonly value: string;
  readonly of: readonly string[];
  readonly words?: Readonly<Record<string, string>>;
  readonly onChange: (value: string) => void;
}

export function Chosen({ label, value, of, words, onChange }: ChosenProps) {
  return (
    <label className="fld">
      <span>{label}</span>
      <select className="form-select" value={value} onChange={(e) => onChange(e.target.value)}>
        {!of.includes(value) && <option value={value}>{value}</option>}
        {of.map((o) => (
          <option key={o} value={o}>
            {words?.[o] ?? o.replaceAll('_', ' ')}
          </option>
        ))}
      </select>
    </label>
  );
}

const MOST_PICTURE = 300_000;

/** A picture from a file, as a data: address. One that is too large is not taken. */
export function PictureInput({ label, onPicture }: { readonly label: string; readonly onPicture: (address: string) => void }) {
  return (
    <label className="fld">
      <span>{label} (PNG, JPEG, WebP or GIF, up to 140 kB)</span>
      <input
        className="form-control"
        type="file"
        accept="image/png,image/jpeg,image/webp,image/gif"
        onChange={(e) => {
          const [file] = e.target.files ?? [];
          if (!file) return;
          const reader = new FileReader();
          reader.onload = () => {
            const address = typeof reader.result === 'string' ? reader.result : '';
            if (address !== '' && address.length <= Math.min(MOST_PICTURE, 199_000)) onPicture(address);
            else e.target.setCustomValidity('The picture is too large.');
            e.target.reportValidity();
          };
          reader.readAsDataURL(file);
        }}
      />
    </label>
  );
}

import type { ModelTried } from '@primrose/contract';
import { problemSentence, type ModelProfile, idOf } from '@primrose/core';
import { useState, type FormEvent } from 'react';
import { Link } from 'react-router';
import { call, errorText } from '../api.js';
import { DurationField } from '../details/DurationInput.js';
import { ShapedInput, TextInput } from '../details/fields.js';
import { useDraftHandle, useProblems } from '../draft/context.js';
import { putPart } from '../draft/parts.js';
import { NewName } from '../parts/NewName.js';
import { duration } from '../parts/words.js';

/** Model profiles: where each is, its settings and price, and a text to try it with. */
export default function ModelsPage() {
  const { document, edit, bot } = useDraftHandle();
  const profiles = Object.entries(document.models ?? {});
  const connections = Object.keys(document.connections ?? {});
  const add = (words: string) => {
    const name = idOf(words);
    const [connection = 'model-service'] = connections;
    if (name !== '') edit((d) => (d.models?.[name] ? d : putPart(d, 'models', name, { connection, model: 'name-of-the-model' })));
  };
  return (
    <main className="page">
      <header>
        <h2>Models</h2>
        <span className="note">
          Any server of the chat-completions form; addresses and secrets stand with the{' '}
          <Link to={`/bots/${bot}/actions`}>connections</Link>.
        </span>
      </header>
      {profiles.length === 0 && (
        <div className="empty">
          <p>No model profiles. Name one, then say where it is.</p>
        </div>
      )}
      {profiles.map(([name, profile]) => (
        <Profile key={name} name={name} profile={profile} connections={connections} />
      ))}
      <NewName label="New model profile" onAdd={add} />
    </main>
  );
}

interface ProfileProps {
  readonly name: string;
  readonly profile: ModelProfile;
  readonly connections: readonly string[];
}

const NUMBER = /^$|^\d+(\.\d+)?$/;

function Profile({ name, profile, connections }: ProfileProps) {
  const { document, edit } = useDraftHandle();
  const problems = useProblems(document).filter((p) => p.field?.startsWith(`/models/${name}`));
  const put = (next: ModelProfile | undefined) => edit((d) => putPart(d, 'models', name, next));
  const [models, setModels] = useState<readonly string[]>([]);
  return (
    <section aria-label={`Model profile ${name}`}>
      <h3>
        {name}{' '}
        <button className="bare note" type="button" onClick={() => put(undefined)}>
          delete {name}
        </button>
      </h3>
      <div className="profile">
        <TextInput label="What it is for" value={profile.about ?? ''} onChange={(about) => put({ ...profile, about })} />
        <div className="fld">
          <label htmlFor={`connection-${name}`}>Connection</label>
          <select
            id={`connection-${name}`}
            className="form-select"
            value={profile.connection}
            onChange={(e) => put({ ...profile, connection: e.target.value })}
          >
            {!connections.includes(profile.connection) && <option>{profile.connection}</option>}
            {connections.map((c) => (
              <option key={c}>{c}</option>
            ))}
          </select>
        </div>
        <ShapedInput
          label="Model, as the service calls it"
          code
          value={profile.model}
          form={/\S/}
          list={models}
          wrong="Write the model’s name."
          onChange={(model) => put({ ...profile, model })}
        />
        <Limits name={name} profile={profile} onChange={put} />
        <Price profile={profile} onChange={put} />
      </div>
      {problems.map((p, i) => (
        <p key={i} className="mistake">
          {problemSentence(p)}
        </p>
      ))}
      <ConnectionTest connection={profile.connection} onModels={setModels} />
      <Try name={name} />
    </section>
  );
}

interface PartProps {
  readonly profile: ModelProfile;
  readonly onChange: (profile: ModelProfile) => void;
}

interface NumberFieldProps {
  readonly label: string;
  readonly value: number | undefined;
  readonly placeholder: string;
  readonly wrong: string;
  /** Told the number; undefined where the field was emptied. */
  readonly onChange: (value: number | undefined) => void;
}

function NumberField({ value, onChange, ...rest }: NumberFieldProps) {
  return (
    <ShapedInput
      {...rest}
      value={String(value ?? '')}
      form={NUMBER}
      onChange={(v) => onChange(v === '' ? undefined : Number(v))}
    />
  );
}

/** How freely, how much and how long it writes, and who stands in for it. */
function Limits({ name, profile, onChange }: PartProps & { readonly name: string }) {
  const { document } = useDraftHandle();
  const others = Object.keys(document.models ?? {}).filter((m) => m !== name);
  const write = <K extends keyof ModelProfile>(field: K, value: ModelProfile[K] | undefined) => {
    const { [field]: _old, ...rest } = profile;
    onChange((value === undefined ? rest : { ...rest, [field]: value }) as ModelProfile);
  };
  const whole = (n: number | undefined, least: number) => (n === undefined ? undefined : Math.max(least, Math.round(n)));
  return (
    <>
      <NumberField
        label="Temperature, 0 to 2"
        value={profile.temperature}
        placeholder="the service’s own"
        wrong="A number from 0 to 2."
        onChange={(v) => write('temperature', v === undefined ? undefined : Math.min(2, v))}
      />
      <NumberField
        label="Top-p, 0 to 1"
        value={profile['top-p']}
        placeholder="the service’s own"
        wrong="A number from 0 to 1."
        onChange={(v) => write('top-p', v === undefined || v <= 0 ? undefined : Math.min(1, v))}
      />
      <NumberField
        label="Writes at most, in tokens"
        value={profile.most}
        placeholder="the service’s own"
        wrong="A whole number."
        onChange={(v) => write('most', whole(v, 1))}
      />
      <NumberField
        label="Context size, in tokens"
        value={profile.context}
        placeholder="not known: nothing is trimmed"
        wrong="A whole number, 500 at least."
        onChange={(v) => write('context', whole(v, 500))}
      />
      <TextInput
        label="Ends where it would write, parted by |"
        value={(profile.stop ?? []).join('|')}
        placeholder="by itself"
        onChange={(v) => write('stop', v === '' ? undefined : v.split('|').filter(Boolean).slice(0, 4))}
      />
      <DurationField label="Waits at most" usual="30s" value={profile.timeout} onChange={(v) => write('timeout', v)} />
      <div className="fld">
        <label htmlFor={`fallback-${name}`}>Asked instead where it gives no answer</label>
        <select
          id={`fallback-${name}`}
          className="form-select"
          value={profile.fallback ?? ''}
          onChange={(e) => write('fallback', e.target.value === '' ? undefined : e.target.value)}
        >
          <option value="">nobody</option>
          {others.map((o) => (
            <option key={o}>{o}</option>
          ))}
        </select>
      </div>
    </>
  );
}

/** Tries the connection: whether it is reached, and which models it offers. */
function ConnectionTest({
  connection,
  onModels,
}: {
  readonly connection: string;
  readonly onModels: (models: readonly string[]) => void;
}) {
  const { bot, flush } = useDraftHandle();
  const [said, setSaid] = useState<{ readonly ok: boolean; readonly words: string }>();
  const [busy, setBusy] = useState(false);
  const go = () => {
    setBusy(true);
    flush()
      .then(() => call('testConnection', { params: { bot, connection } }))
      .then((t) => {
        onModels(t.models);
        const some = t.models.slice(0, 12).join(', ');
        setSaid({
          ok: t.outcome === 'works',
          words: `${t.says}${some === '' ? '' : ` ${some}${t.models.length > 12 ? ' …' : ''}`}`,
        });
      })
      .catch((error: unknown) => setSaid({ ok: false, words: errorText(error) }))
      .finally(() => setBusy(false));
  };
  return (
    <p className="note" role="status">
      <button type="button" className="bare note" disabled={busy} onClick={go}>
        {busy ? 'trying…' : `try the connection ${connection}`}
      </button>{' '}
      {said && <span className={said.ok ? '' : 'plum'}>{said.words}</span>}
    </p>
  );
}

function Price({ profile, onChange }: PartProps) {
  const { price } = profile;
  const write = (change: Partial<NonNullable<ModelProfile['price']>>) =>
    onChange({ ...profile, price: { in: 0, out: 0, ...price, ...change } });
  return (
    <>
      <NumberField
        label={`Price of a million tokens in${price?.currency === undefined ? '' : `, ${price.currency}`}`}
        value={price?.in}
        placeholder="not known"
        wrong="A number."
        onChange={(v = 0) => write({ in: v })}
      />
      <NumberField
        label="and out"
        value={price?.out}
        placeholder="not known"
        wrong="A number."
        onChange={(v = 0) => write({ out: v })}
      />
      {price && (
        <TextInput
          label="Currency"
          value={price.currency ?? ''}
          onChange={(currency) => write({ currency: currency.slice(0, 10) })}
        />
      )}
    </>
  );
}

function Try({ name }: { readonly name: string }) {
  const { bot, flush } = useDraftHandle();
  const [text, setText] = useState('Say in one sentence what you are.');
  const [busy, setBusy] = useState(false);
  const [tried, setTried] = useState<ModelTried>();
  const [problem, setProblem] = useState<string>();
  const go = (event: FormEvent) => {
    event.preventDefault();
    setBusy(true);
    setProblem(undefined);
    flush()
      .then(() => call('tryModel', { params: { bot, model: name }, body: { text } }))
      .then(setTried)
      .catch((error: unknown) => setProblem(errorText(error)))
      .finally(() => setBusy(false));
  };
  return (
    <form className="tryline" onSubmit={go}>
      <input
        className="form-control serif"
        aria-label={`Text to try ${name} with`}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <button className="btn btn-outline-secondary" type="submit" disabled={busy || text.trim() === ''}>
        {busy ? 'Asking…' : 'Try'}
      </button>
      <div role="status" style={{ gridColumn: '1 / -1' }}>
        {problem !== undefined && <p className="plum">{problem}</p>}
        {tried?.ok === false && <p className="plum">It did not answer: {tried.reason}.</p>}
        {tried?.ok === true && (
          <p dir="auto">
            {tried.text}{' '}
            <span className="note">
              {duration(tried.ms)}
              {tried.tokens && `, ${tried.tokens.in} tokens in, ${tried.tokens.out} out`}
            </span>
          </p>
        )}
      </div>
    </form>
  );
}

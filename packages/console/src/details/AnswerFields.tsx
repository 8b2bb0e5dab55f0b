import { fieldsFromExample, textOf, type TypeDeclaration, type TypeObject, type Value } from '@primrose/core';
import { useState } from 'react';
import { Button, Form, Modal } from 'react-bootstrap';
import { Alarm } from '../parts/Alarm.js';
import { RemoveButton, Rows } from './Rows.js';
import { ShapedInput, TextInput, UnderField } from './fields.js';
import type { EditorProps } from './kinds/editor.js';

const NAME = /^[a-z][a-z0-9]*(_[a-z0-9]+)*$/;
const TYPE = /^[a-z][a-z0-9_]*\??$/;

type Fields = Readonly<Record<string, TypeDeclaration>>;

const whole = (d: TypeDeclaration): TypeObject => (typeof d === 'string' ? { type: d } : d);

/** A declaration in its shortest form: what is empty is left out, and a type by itself is its name. */
function short(of: TypeObject): TypeDeclaration {
  const held = Object.fromEntries(Object.entries(of).filter(([, v]) => v !== undefined && v !== '')) as unknown as TypeObject;
  return Object.keys(held).length === 1 ? held.type : held;
}

/** The fields of the answer, each with its type and what it is; from an example, or one by one. */
export function AnswerFields({
  node,
  set,
  label = 'Fields of the answer; text without any',
}: EditorProps & { readonly label?: string }) {
  const [asking, setAsking] = useState(false);
  const gives = (node['gives'] as Fields | undefined) ?? {};
  const write = (next: Fields) => set('gives', Object.keys(next).length === 0 ? undefined : next);
  return (
    <>
      <FieldRows label={label} gives={gives} onChange={write} />
      <UnderField field="/gives" />
      <button className="bare note" type="button" onClick={() => setAsking(true)}>
        from an example…
      </button>
      {asking && <ExampleDialog onClose={() => setAsking(false)} onTake={write} />}
    </>
  );
}

interface FieldRowsProps {
  readonly label: string;
  readonly gives: Fields;
  readonly onChange: (next: Fields) => void;
}

function FieldRows({ label, gives, onChange }: FieldRowsProps) {
  const list = Object.entries(gives);
  const write = (next: readonly (readonly [string, TypeDeclaration])[]) => onChange(Object.fromEntries(next));
  return (
    <Rows label={label} add="a field" onAdd={() => write([...list, [freeName(gives), 'text?']])}>
      {list.map(([name, declaration], i) => (
        <OneField
          key={i}
          name={name}
          declared={whole(declaration)}
          onChange={(as, next) => write(list.map((entry, j) => (i === j ? [as, short(next)] : entry)))}
          onRemove={() => write(list.filter((_, j) => j !== i))}
        />
      ))}
    </Rows>
  );
}

interface OneFieldProps {
  readonly name: string;
  readonly declared: TypeObject;
  readonly onChange: (name: string, declared: TypeObject) => void;
  readonly onRemove: () => void;
}

function OneField({ name, declared, onChange, onRemove }: OneFieldProps) {
  const bare = declared.type.replace(/\?$/, '');
  const put = (change: Partial<TypeObject>) => onChange(name, { ...declared, ...change });
  return (
    <div className="branchbox">
      <div className="pair double">
        <ShapedInput
          label="Name"
          code
          value={name}
          form={NAME}
          wrong="Small letters, digits and underscores."
          onChange={(v) => onChange(v, declared)}
        />
        <ShapedInput
          label="Type, with ? if it may be empty"
          code
          value={declared.type}
          form={TYPE}
          wrong="A type such as text, date?, list or port?."
          onChange={(type) => put({ type })}
        />
        <RemoveButton label={`Remove the field ${name}`} onClick={onRemove} />
      </div>
      <TextInput label="What it is" value={declared.about ?? ''} onChange={(about) => put({ about })} />
      {bare === 'text' && (
        <TextInput
          label="One of these only, with commas between"
          value={(declared.one_of ?? []).join(', ')}
          onChange={(text) => put({ one_of: listIn(text) })}
        />
      )}
      {bare === 'list' && declared.fields === undefined && (
        <ShapedInput
          label="Each entry is"
          code
          value={declared.of ?? ''}
          form={/^$|^[a-z][a-z0-9_]*$/}
          wrong="A type such as text or port."
          onChange={(of) => put({ of })}
        />
      )}
      {bare !== 'list' && bare !== 'object' && (
        <TextInput
          label="For example"
          value={declared.example === undefined ? '' : textOf(declared.example)}
          onChange={(text) => put({ example: exampleIn(text, bare) })}
        />
      )}
      {(bare === 'object' || (bare === 'list' && declared.of === undefined)) && (
        <FieldRows
          label={bare === 'list' ? 'Fields of each entry' : 'Its fields'}
          gives={declared.fields ?? {}}
          onChange={(fields) => put({ fields: Object.keys(fields).length === 0 ? undefined : { ...fields } })}
        />
      )}
    </div>
  );
}

function listIn(text: string): string[] | undefined {
  const list = text.split(',').map((w) => w.trimStart());
  return text === '' ? undefined : list.filter((w, i) => w !== '' || i === list.length - 1);
}

function exampleIn(text: string, type: string): Value | undefined {
  if (text === '') return undefined;
  if (type === 'number') return Number.isNaN(Number(text)) ? text : Number(text);
  return type === 'yes_no' ? /^(?:yes|true)$/i.test(text) : text;
}

/** Fields are guessed from one object such as it should be, and can be corrected afterwards. */
function ExampleDialog({ onClose, onTake }: { readonly onClose: () => void; readonly onTake: (fields: Fields) => void }) {
  const [text, setText] = useState('');
  const [problem, setProblem] = useState<string>();
  const take = () => {
    const read = fieldsFromExample(text);
    if (!read.ok) return setProblem(read.reason);
    onTake(read.fields);
    onClose();
  };
  return (
    <Modal show onHide={onClose} aria-labelledby="from-example">
      <Modal.Header closeButton>
        <Modal.Title id="from-example">Fields from an example</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        {problem !== undefined && <Alarm>{problem}</Alarm>}
        <p className="note">
          One object as the answer should be, in JSON or YAML. Of a list of them, a field that is missing in some may be empty.
        </p>
        <Form.Control
          as="textarea"
          rows={10}
          className="code"
          aria-label="The example"
          spellCheck={false}
          autoFocus
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </Modal.Body>
      <Modal.Footer>
        <Button variant="outline-secondary" onClick={onClose}>
          Cancel
        </Button>
        <Button onClick={take}>Take these fields</Button>
      </Modal.Footer>
    </Modal>
  );
}

function freeName(gives: Fields): string {
  for (let n = Object.keys(gives).length + 1; ; n++) if (!Object.hasOwn(gives, `field_${n}`)) return `field_${n}`;
}

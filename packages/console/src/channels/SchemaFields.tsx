import { textOf, type Value } from '@primrose/core';
import { useId } from 'react';
import { Form } from 'react-bootstrap';
import { tableOf, withKey, wordsOfKey, type Schema, type Table } from './schema.js';

interface FieldsProps {
  readonly schema: Schema;
  readonly value: Table;
  readonly onChange: (value: Table) => void;
}

/** The fields of some settings, as their schema describes them. */
export function SchemaFields({ schema, value, onChange }: FieldsProps) {
  return (
    <>
      {Object.entries(schema.properties ?? {}).map(([key, part]) => (
        <SchemaField
          key={key}
          label={wordsOfKey(key)}
          schema={part}
          needed={schema.required?.includes(key) === true}
          value={value[key]}
          onChange={(v) => onChange(withKey(value, key, v))}
        />
      ))}
    </>
  );
}

interface FieldProps {
  readonly label: string;
  readonly schema: Schema;
  readonly needed: boolean;
  readonly value: Value | undefined;
  readonly onChange: (value: Value | undefined) => void;
}

function SchemaField(props: FieldProps) {
  const { label, schema, value, onChange } = props;
  const id = useId();
  if (schema.type === 'object' && schema.properties)
    return (
      <fieldset className="setgroup">
        <legend>
          {label} <span className="note">{schema.description}</span>
        </legend>
        <SchemaFields schema={schema} value={tableOf(value)} onChange={onChange} />
      </fieldset>
    );
  if (schema.type === 'boolean')
    return (
      <Form.Check
        className="fld"
        id={id}
        label={`${label}: ${schema.description ?? ''}`}
        checked={value === true}
        onChange={(e) => onChange(e.target.checked)}
      />
    );
  return (
    <Form.Group controlId={id} className="fld">
      <Form.Label>
        {label} <span className="note">{schema.description}</span>
      </Form.Label>
      <TextOf {...props} />
    </Form.Group>
  );
}

/** A field of one line: a text, a number, a list divided by commas, or texts by language such as `en: …` in lines. */
function TextOf({ schema, needed, value, onChange }: FieldProps) {
  if (schema.type === 'integer' || schema.type === 'number')
    return (
      <Form.Control
        type="number"
        required={needed}
        value={typeof value === 'number' && value !== 0 ? value : ''}
        onChange={(e) => onChange(e.target.value === '' ? undefined : Number(e.target.value))}
      />
    );
  if (schema.type === 'array')
    return (
      <Form.Control
        defaultValue={Array.isArray(value) ? (value as readonly Value[]).map(textOf).join(', ') : ''}
        placeholder="several, divided by commas"
        onChange={(e) => {
          const list = e.target.value
            .split(',')
            .map((v) => v.trim())
            .filter((v) => v !== '');
          onChange(list.length === 0 ? undefined : list);
        }}
      />
    );
  if (schema.type === 'object')
    return (
      <Form.Control
        as="textarea"
        rows={2}
        placeholder={'en: …'}
        defaultValue={Object.entries(tableOf(value))
          .map(([language, words]) => `${language}: ${textOf(words)}`)
          .join('\n')}
        onChange={(e) => onChange(byLanguage(e.target.value))}
      />
    );
  return (
    <Form.Control
      required={needed}
      value={typeof value === 'string' ? value : ''}
      onChange={(e) => onChange(e.target.value === '' && !needed ? undefined : e.target.value)}
    />
  );
}

function byLanguage(text: string): Value | undefined {
  const found = text.split('\n').flatMap((line): [string, string][] => {
    const [, language = '', words = ''] = /^\s*([a-z]{2,3}(?:-[A-Za-z]+)?)\s*:\s*(\S.*)$/.exec(line) ?? [];
    return language === '' ? [] : [[language, words.trim()]];
  });
  return found.length === 0 ? undefined : Object.fromEntries(found);
}

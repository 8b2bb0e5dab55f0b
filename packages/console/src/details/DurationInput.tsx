import { DURATION_PATTERN } from '@primrose/core';
import { useId, useState, type ReactNode } from 'react';
import { UnderField } from './fields.js';

const UNITS = [
  ['ms', 'milliseconds'],
  ['s', 'seconds'],
  ['m', 'minutes'],
  ['h', 'hours'],
  ['d', 'days'],
] as const;

interface DurationFieldProps {
  readonly label: string;
  readonly value: string | undefined;
  /** What counts while nothing is written; without it a time is needed. */
  readonly usual?: string;
  readonly onChange: (value: string | undefined) => void;
  /** What stands below it. */
  readonly children?: ReactNode;
}

/** The same for a field of a node, with what is known of it below. */
export function DurationInput({ field, ...more }: Omit<DurationFieldProps, 'children'> & { readonly field: string }) {
  return (
    <DurationField {...more}>
      <UnderField field={field} />
    </DurationField>
  );
}

/** A time as a number and its unit; `4s` may also be typed whole. */
export function DurationField({ label, value, usual, onChange, children }: DurationFieldProps) {
  const id = useId();
  const [amount, unit] = split(value ?? '');
  const [typed, setTyped] = useState(amount);
  const chosen = unit === '' ? split(usual ?? '1s')[1] : unit;
  const bad =
    typed.trim() === '' ? usual === undefined : !DURATION_PATTERN.test(typed.trim()) && !/^\d+(\.\d+)?$/.test(typed.trim());
  const change = (text: string, of = chosen) => {
    const whole = text.trim();
    setTyped(DURATION_PATTERN.test(whole) ? split(whole)[0] : text);
    if (whole === '' && usual !== undefined) onChange(undefined);
    else if (DURATION_PATTERN.test(whole)) onChange(whole);
    else if (/^\d+(\.\d+)?$/.test(whole)) onChange(`${whole}${of}`);
  };
  return (
    <div className="fld">
      <label htmlFor={id}>{label}</label>
      <div className="durationfield">
        <input
          id={id}
          className="form-control"
          inputMode="decimal"
          autoComplete="off"
          value={typed}
          placeholder={usual === undefined ? '' : split(usual)[0]}
          onChange={(e) => change(e.target.value)}
        />
        <select
          className="form-select"
          aria-label={`Unit of ${label}`}
          value={chosen}
          onChange={(e) => change(typed, e.target.value)}
        >
          {UNITS.map(([short, words]) => (
            <option key={short} value={short}>
              {words}
            </option>
          ))}
        </select>
      </div>
      {bad && (
        <p className="mistake" role="alert">
          Write a number, such as 4 or 0.5. Not kept until it is one.
        </p>
      )}
      {children}
    </div>
  );
}

function split(duration: string): [string, string] {
  const [, amount = '', unit = ''] = /^([\d.]*)([a-z]*)$/.exec(duration) ?? [];
  return [amount, unit];
}

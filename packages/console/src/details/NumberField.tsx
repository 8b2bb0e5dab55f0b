interface NumberFieldProps {
  readonly label: string;
  readonly value: number | undefined;
  readonly usual?: number;
  readonly most?: number;
  readonly fraction?: boolean;
  readonly onChange: (value: number | undefined) => void;
}

/** A number that may be left out. */
export function NumberField({ label, value, usual, most, fraction = false, onChange }: NumberFieldProps) {
  const id = `n-${label.replaceAll(/[^a-z]+/gi, '-').toLowerCase()}`;
  return (
    <div className="fld">
      <label htmlFor={id}>{label}</label>
      <input
        id={id}
        className="form-control"
        type="number"
        min={fraction ? 0.000001 : 0}
        max={most}
        step={fraction ? 'any' : 1}
        value={value ?? ''}
        placeholder={usual === undefined ? 'no limit' : String(usual)}
        onChange={(e) => {
          const n = Number(e.target.value);
          onChange(e.target.value === '' || !Number.isFinite(n) ? undefined : n);
        }}
      />
    </div>
  );
}

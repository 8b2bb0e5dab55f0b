interface HeldFieldProps {
  /** The variable, `flow.day`. */
  readonly name: string;
  readonly text: string;
  readonly onChange: (text: string) => void;
}

/** What a variable holds, to be changed. */
export function HeldField({ name, text, onChange }: HeldFieldProps) {
  return (
    <label className="holds">
      <span>{name}</span>
      <input className="form-control code" value={text} placeholder="empty" onChange={(e) => onChange(e.target.value)} />
    </label>
  );
}

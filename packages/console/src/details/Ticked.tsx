interface TickedProps {
  readonly label: string;
  readonly on: boolean;
  readonly onChange: (on: boolean) => void;
}

/** Something that is so or not. */
export function Ticked({ label, on, onChange }: TickedProps) {
  return (
    <label className="note">
      <input type="checkbox" checked={on} onChange={(e) => onChange(e.target.checked)} /> {label}
    </label>
  );
}

import { useState, type FormEvent } from 'react';

/** A line on which something new is named; Enter makes it. */
export function NewName({ label, onAdd }: { readonly label: string; readonly onAdd: (words: string) => void }) {
  const [words, setWords] = useState('');
  const add = (event: FormEvent) => {
    event.preventDefault();
    onAdd(words);
    setWords('');
  };
  return (
    <form className="newname" onSubmit={add}>
      <input
        className="form-control plain"
        aria-label={label}
        placeholder={label}
        value={words}
        onChange={(e) => setWords(e.target.value)}
      />
    </form>
  );
}

import { useState, type ChangeEvent, type DragEvent } from 'react';
import { Button } from 'react-bootstrap';
import { ACCEPTED, type useUploads } from './uploading.js';

/** Where files are chosen, dropped or pasted, and how far each of them is. */
export function Uploads({ uploads, add, forget }: ReturnType<typeof useUploads>) {
  const [over, setOver] = useState(false);
  const [pasting, setPasting] = useState(false);
  const choose = (event: ChangeEvent<HTMLInputElement>) => {
    void add([...(event.target.files ?? [])]);
    event.target.value = '';
  };
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    void add([...event.dataTransfer.files]);
  };
  return (
    <section
      aria-label="Bring documents"
      className={over ? 'dropzone over' : 'dropzone'}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
    >
      <div className="facts">
        <label className="btn btn-outline-secondary btn-sm">
          Upload documents
          <input className="visually-hidden" type="file" multiple accept={ACCEPTED} onChange={choose} />
        </label>
        <Button size="sm" variant="outline-secondary" aria-expanded={pasting} onClick={() => setPasting(!pasting)}>
          Paste text
        </Button>
        <span className="note">or drop them here: PDF, DOCX, EPUB, HTML, Markdown, text, CSV, XLSX, JSON, up to 20 MB each</span>
      </div>
      {pasting && (
        <Paste
          onDone={(file) => {
            setPasting(false);
            if (file) void add([file]);
          }}
        />
      )}
      {uploads.length > 0 && (
        <ul className="uploads" aria-label="Uploads">
          {uploads.map((u) => (
            <li key={u.id}>
              <span dir="auto">{u.name}</span>
              <progress value={u.sent} max={1} aria-label={`How much of ${u.name} has gone`} />
              <span className={u.state === 'failed' ? 'plum' : 'note'} role={u.state === 'failed' ? 'alert' : undefined}>
                {u.state === 'failed' ? u.problem : u.state === 'sending' ? `${Math.round(u.sent * 100)} %` : u.state}
              </span>
            </li>
          ))}
          {uploads.every((u) => u.state === 'done' || u.state === 'failed') && (
            <li>
              <button className="bare note" type="button" onClick={forget}>
                clear this list
              </button>
            </li>
          )}
        </ul>
      )}
    </section>
  );
}

function Paste({ onDone }: { readonly onDone: (file: File | undefined) => void }) {
  const [title, setTitle] = useState('');
  const [text, setText] = useState('');
  return (
    <form
      className="paste"
      onSubmit={(e) => {
        e.preventDefault();
        onDone(text.trim() === '' ? undefined : new File([text], `${title.trim() || 'pasted'}.md`, { type: 'text/markdown' }));
      }}
    >
      <input
        className="form-control"
        aria-label="Title of the text"
        placeholder="Title"
        value={title}
        onChange={(e) => setTitle(e.target.value)}
      />
      <textarea
        className="form-control serif"
        rows={6}
        aria-label="Text"
        placeholder="Text, with # before headings"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <Button size="sm" type="submit" variant="outline-secondary">
        Keep as a document
      </Button>
    </form>
  );
}

import { useState, type ChangeEvent } from 'react';
import { Form } from 'react-bootstrap';
import { errorText, uploadType, upload } from '../api.js';
import { useDraftHandle } from '../draft/context.js';

/** The bot as files: exported as one file or as a zip of its folder, and brought back into the draft. */
export function AsFiles() {
  const { bot, saved, flush, reload } = useDraftHandle();
  const [said, setSaid] = useState<{ words: string; bad: boolean }>();
  const take = async (file: File) => {
    if (!(await flush())) throw new Error('The draft could not be saved, so nothing was imported. See the top bar.');
    const bytes = new Uint8Array(await file.arrayBuffer());
    const input = { params: { bot }, query: { revision: saved.revision } };
    await upload('importBot', input, { bytes, type: uploadType(file.name) });
    await reload();
  };
  const onFile = (event: ChangeEvent<HTMLInputElement>) => {
    const [file] = event.target.files ?? [];
    event.target.value = '';
    if (!file) return;
    take(file)
      .then(() =>
        setSaid({ words: `${file.name} is in the draft now. History shows what it changed; undo takes it back.`, bad: false }),
      )
      .catch((error: unknown) => setSaid({ words: errorText(error), bad: true }));
  };
  const link = (form: string) => `/api/bots/${bot}/export?form=${form}`;
  return (
    <section>
      <h3>
        As files <span className="note">the draft, to keep or to move to another Primrose</span>
      </h3>
      <p style={{ display: 'flex', gap: 8 }}>
        <a className="btn btn-outline-secondary" href={link('file')} download>
          Export one file
        </a>
        <a className="btn btn-outline-secondary" href={link('folder')} download>
          Export the folder (zip)
        </a>
      </p>
      <Form.Group controlId="import" style={{ maxWidth: 520 }}>
        <Form.Label className="mb-0">Import a file or a zip into this draft</Form.Label>
        <Form.Control type="file" accept=".json,.zip" onChange={onFile} />
      </Form.Group>
      {said && (
        <p className={said.bad ? 'alarm' : ''} role={said.bad ? 'alert' : 'status'}>
          {said.words}
        </p>
      )}
    </section>
  );
}

import { contrast, legibleColours } from '@primrose/core';
import { Form } from 'react-bootstrap';
import { PictureInput } from '../formpages/PartDetails.js';
import type { ChatFieldsProps } from './ChatWordsFields.js';

const USUAL = { accent: '#f2d449', ground: '#fbf8ef' } as const;
const OFFERS = [
  ['files', 'Visitors may send files'],
  ['history', 'Visitors see their earlier conversations'],
  ['feedback', 'Visitors say whether an answer helped'],
] as const;

/** Colours, logo, where it stands, what it offers, and which pages may show it. */
export function ChatLookFields({ settings, set }: ChatFieldsProps) {
  const used = legibleColours({ accent: settings.accent ?? undefined, ground: settings.ground ?? undefined });
  const moved = (['accent', 'ground'] as const).filter((f) => settings[f] !== null && used[f] !== settings[f]?.toLowerCase());
  return (
    <section aria-label="How it looks">
      <h3>How it looks</h3>
      <div className="colours">
        {(['accent', 'ground'] as const).map((field) => (
          <div key={field} className="inrow">
            <label>
              <span>{field === 'accent' ? 'Colour of bubble and button' : 'Colour of the ground'}</span>
              <input type="color" value={settings[field] ?? USUAL[field]} onChange={(e) => set({ [field]: e.target.value })} />
            </label>
            {settings[field] !== null && (
              <button type="button" className="bare" onClick={() => set({ [field]: null })}>
                usual
              </button>
            )}
          </div>
        ))}
        {used.accent !== null && used.onAccent !== null && (
          <p className="note">Text on the button has a contrast of {contrast(used.accent, used.onAccent).toFixed(1)}.</p>
        )}
        {used.ground !== null && used.ink !== null && (
          <p className="note">Text on the ground has a contrast of {contrast(used.ground, used.ink).toFixed(1)}.</p>
        )}
        {moved.map((field) => (
          <p key={field} className="plum">
            {field === 'accent' ? 'The button' : 'The ground'} is shown in {used[field]}, as text would not be legible on{' '}
            {settings[field]}.
          </p>
        ))}
      </div>
      <PictureInput label="Logo" onPicture={(logo) => set({ logo })} />
      {settings.logo !== null && (
        <button type="button" className="bare" onClick={() => set({ logo: null })}>
          without a logo
        </button>
      )}
      <div className="inrow mt-2">
        <Form.Group controlId="chat-theme">
          <Form.Label className="mb-0">Light or dark</Form.Label>
          <Form.Select value={settings.theme} onChange={(e) => set({ theme: e.target.value as 'auto' })}>
            <option value="auto">as the visitor has it</option>
            <option value="light">light</option>
            <option value="dark">dark</option>
          </Form.Select>
        </Form.Group>
        <Form.Group controlId="chat-side">
          <Form.Label className="mb-0">The bubble stands</Form.Label>
          <Form.Select value={settings.side} onChange={(e) => set({ side: e.target.value as 'end' })}>
            <option value="end">where lines end</option>
            <option value="start">where lines begin</option>
          </Form.Select>
        </Form.Group>
      </div>
      {OFFERS.map(([field, label]) => (
        <Form.Check
          key={field}
          id={`chat-${field}`}
          label={label}
          checked={settings[field]}
          onChange={(e) => set({ [field]: e.target.checked })}
        />
      ))}
      <Form.Group controlId="chat-origins" className="mt-2">
        <Form.Label className="mb-0">Pages that may show it, one origin a line; any page where none stands here</Form.Label>
        <Form.Control
          as="textarea"
          rows={2}
          className="mono"
          placeholder="https://ferries.example"
          value={settings.origins.join('\n')}
          onChange={(e) => set({ origins: e.target.value === '' ? [] : e.target.value.split('\n').slice(0, 30) })}
        />
      </Form.Group>
    </section>
  );
}

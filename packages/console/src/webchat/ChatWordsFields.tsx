import type { ChatSettings, ChatWords } from '@primrose/contract';
import { useState } from 'react';
import { Form } from 'react-bootstrap';
import { useDraftHandle } from '../draft/context.js';

export interface ChatFieldsProps {
  readonly settings: ChatSettings;
  readonly set: (more: Partial<ChatSettings>) => void;
}

const MOST_STARTERS = 6;
const FIELDS = [
  ['name', 'Name', 80, 'the bot’s'],
  ['about', 'Line under it', 200, 'Answers by a bot.'],
  ['open', 'On the closed bubble', 60, 'the name'],
  ['say', 'In the empty field', 80, 'Write a message'],
] as const;

/** What stands in the chat besides what the bot says, by language. */
export function ChatWordsFields({ settings, set }: ChatFieldsProps) {
  const { document } = useDraftHandle();
  const [language, setLanguage] = useState('any');
  const words: ChatWords = settings.words[language] ?? {};
  const put = (more: ChatWords) => {
    const next = Object.fromEntries(Object.entries({ ...words, ...more }).filter(([, v]) => v !== '' && v !== undefined));
    const { [language]: _old, ...others } = settings.words;
    set({ words: Object.keys(next).length === 0 ? others : { ...others, [language]: next } });
  };
  const languages = ['any', ...new Set([...document.languages, ...Object.keys(settings.words).filter((l) => l !== 'any')])];
  return (
    <section aria-label="Words">
      <h3>
        Words{' '}
        <Form.Select
          size="sm"
          aria-label="In which language"
          style={{ display: 'inline-block', width: 'auto' }}
          value={language}
          onChange={(e) => setLanguage(e.target.value)}
        >
          {languages.map((l) => (
            <option key={l} value={l}>
              {l === 'any' ? 'all languages' : l}
            </option>
          ))}
        </Form.Select>
      </h3>
      {FIELDS.map(([field, label, most, usual]) => (
        <Form.Group key={field} controlId={`chat-${field}`} className="mb-2">
          <Form.Label className="mb-0">{label}</Form.Label>
          <Form.Control
            dir="auto"
            maxLength={most}
            placeholder={usual}
            value={words[field] ?? ''}
            onChange={(e) => put({ [field]: e.target.value })}
          />
        </Form.Group>
      ))}
      <Form.Group controlId="chat-starters" className="mb-2">
        <Form.Label className="mb-0">Questions to begin with, one a line, at most {MOST_STARTERS}</Form.Label>
        <Form.Control
          as="textarea"
          rows={3}
          dir="auto"
          value={(words.starters ?? []).join('\n')}
          onChange={(e) => {
            const lines = e.target.value.split('\n').slice(0, MOST_STARTERS);
            put({ starters: lines.length === 1 && lines[0] === '' ? undefined : lines.map((l) => l.slice(0, 120)) });
          }}
        />
      </Form.Group>
    </section>
  );
}

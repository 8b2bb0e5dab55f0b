import { plainName, plainText, readMarkdown, textOf } from '@primrose/core';
import { EditorView } from '@codemirror/view';
import { useRef, useState } from 'react';
import { Markdown } from '../../parts/Markdown.js';
import { useFieldSetting } from '../setting.js';
import { CodeField, wrapSelection, type CodeFieldProps } from './CodeField.js';

/** Words that people read: formatting by button, or as one types it (the buttons are for the mouse), and how each kind of channel shows them. */
export function WordsField(props: Omit<CodeFieldProps, 'mode'>) {
  const [shown, setShown] = useState(false);
  const place = useRef<HTMLDivElement>(null);
  const onEditor = (act: (view: EditorView) => void) => () => {
    const content = place.current?.querySelector<HTMLElement>('.cm-content');
    const view = content && EditorView.findFromDOM(content);
    if (view) act(view);
  };
  const button = (label: string, sign: string, act: (view: EditorView) => void, style?: string) => (
    <button
      type="button"
      tabIndex={-1}
      className={`bare ${style ?? ''}`}
      aria-label={`${label}: ${props.label}`}
      title={label}
      onClick={onEditor(act)}
    >
      {sign}
    </button>
  );
  return (
    <div className="wordsfield" ref={place}>
      <CodeField {...props} mode="words" />
      <div className="formats">
        {button('Bold, Ctrl+B', 'B', (v) => void wrapSelection(v, '**'), 'bold')}
        {button('Italic, Ctrl+I', 'I', (v) => void wrapSelection(v, '_'), 'serif it')}
        {button('List', '– list', beginLines)}
        {button('Link', 'link', linkSelection)}
        {button('Value', '{{ }}', insertValue)}
        <span className="spring" />
        <button type="button" className="bare" aria-pressed={shown} onClick={() => setShown(!shown)}>
          preview
        </button>
      </div>
      {shown && <Preview text={props.value} field={props.field} />}
    </div>
  );
}

function beginLines(view: EditorView): void {
  const { from, to } = view.state.selection.main;
  const { doc } = view.state;
  const changes = [];
  for (let n = doc.lineAt(from).number; n <= doc.lineAt(to).number; n++) changes.push({ from: doc.line(n).from, insert: '- ' });
  view.dispatch({ changes });
  view.focus();
}

function linkSelection(view: EditorView): void {
  const { from, to } = view.state.selection.main;
  const words = view.state.sliceDoc(from, to) || 'words';
  const insert = `[${words}](https://)`;
  view.dispatch({ changes: { from, to, insert }, selection: { anchor: from + insert.length - 1 } });
  view.focus();
}

function insertValue(view: EditorView): void {
  const { from, to } = view.state.selection.main;
  view.dispatch({ changes: { from, to, insert: '{{  }}' }, selection: { anchor: from + 3 } });
  view.focus();
}

/** The words with the values that they had in the last turn, or with the values' names, as each kind of channel shows them. */
function Preview({ text, field }: { readonly text: string; readonly field: string }) {
  const { resolved } = useFieldSetting();
  const last = resolved.find((r) => r.field === field);
  const whole =
    last && last.source === text ? textOf(last.value) : text.replace(/\{\{(.*?)\}\}/gs, (_, e: string) => plainName(e));
  const blocks = readMarkdown(whole);
  return (
    <dl className="previews">
      <dt className="caps">Web chat</dt>
      <dd>
        <Markdown blocks={blocks} />
      </dd>
      <dt className="caps">Messenger, plain</dt>
      <dd className="plain">{plainText(blocks)}</dd>
    </dl>
  );
}

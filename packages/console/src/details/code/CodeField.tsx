import { closeCompletion, completionStatus, startCompletion } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { Annotation, EditorState, Prec, type Extension } from '@codemirror/state';
import { EditorView, keymap, placeholder as placeholderText, type KeyBinding } from '@codemirror/view';
import { problemSentence, type Problem } from '@primrose/core';
import { useEffect, useRef } from 'react';
import { useFieldSetting } from '../setting.js';
import { jsonMode } from './json.js';
import { completeNames, type Knowing } from './completion.js';
import { values } from './values.js';

export type CodeMode = 'words' | 'template' | 'expression' | 'json';

export interface CodeFieldProps {
  readonly label: string;
  readonly value: string;
  readonly mode: CodeMode;
  /** The field's JSON Pointer in its node, by which problems find it. */
  readonly field: string;
  readonly placeholder?: string;
  readonly onChange: (value: string) => void;
  /** Names that only this field knows, such as `item`. */
  readonly locals?: readonly string[];
  readonly id?: string;
  readonly autoFocus?: boolean;
}

/** Marks a change that came from outside, so that it is not told back. */
const fromOutside = Annotation.define<boolean>();

/** A text with values in it, an expression or JSON: names complete, mistakes are underlined where they are, one key mends them. */
export function CodeField(props: CodeFieldProps) {
  const { label, value, mode, field, placeholder = '', id, autoFocus = false } = props;
  const setting = useFieldSetting();
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(undefined);
  const latest = useRef({ props, setting });
  useEffect(() => {
    latest.current = { props, setting };
  });
  useEffect(() => {
    const parent = host.current;
    if (!parent) return undefined;
    const knowing = (): Knowing => {
      const { setting: now, props: own } = latest.current;
      return { document: now.document, flowId: now.flowId, last: now.last, locals: own.locals ?? [] };
    };
    const fix = () => latest.current.setting.applyFix(latest.current.props.field);
    const made = new EditorView({
      parent,
      state: EditorState.create({
        doc: latest.current.props.value,
        extensions: [
          Prec.highest(keymap.of(fieldKeys(mode, fix, () => latest.current.setting.leave()))),
          history(),
          keymap.of([...historyKeymap, ...defaultKeymap.filter((k) => k.key !== 'Mod-Enter' && k.key !== 'Escape')]),
          EditorView.lineWrapping,
          placeholderText(placeholder),
          ...modeExtensions(mode, knowing),
          EditorView.contentAttributes.of({
            'aria-label': label,
            'aria-multiline': mode === 'expression' ? 'false' : 'true',
            spellcheck: mode === 'words' ? 'true' : 'false',
            dir: mode === 'words' ? 'auto' : 'ltr',
            ...(id === undefined ? {} : { id }),
          }),
          EditorView.updateListener.of((update) => {
            const told = update.transactions.some((t) => t.annotation(fromOutside));
            if (update.docChanged && !told) latest.current.props.onChange(update.state.doc.toString());
          }),
        ],
      }),
    });
    view.current = made;
    if (autoFocus) made.focus();
    return () => {
      view.current = undefined;
      made.destroy();
    };
    // The editor lives as long as the field; what changes reaches it through `latest`.
  }, [mode, label, id, placeholder, autoFocus]);
  useEffect(() => {
    const editor = view.current;
    if (!editor || editor.state.doc.toString() === value) return;
    const changes = { from: 0, to: editor.state.doc.length, insert: value };
    editor.dispatch({ changes, annotations: fromOutside.of(true) });
  }, [value]);
  const problems = setting.problems.filter((p) => p.field === field);
  const marks = JSON.stringify(problems.map((p) => [p.code, p.facts['start'], p.facts['end']]));
  useEffect(() => {
    const editor = view.current;
    if (!editor) return;
    const found = latest.current.setting.problems.filter((p) => p.field === latest.current.props.field);
    editor.dispatch(
      setDiagnostics(
        editor.state,
        found.flatMap((p) => underline(p, editor.state.doc.length)),
      ),
    );
    // The editor itself moves them with what is typed; they are set anew when the checks find something else.
  }, [marks]);
  return <div className={`codefield ${mode === 'words' ? 'words' : 'code'}`} ref={host} />;
}

/** Where a problem stands in the text; the whole text where it is about all of it. */
function underline(p: Problem, length: number): Diagnostic[] {
  const { start, end } = p.facts;
  const from = typeof start === 'number' ? Math.min(start, length) : 0;
  const to = typeof end === 'number' ? Math.min(end, length) : length;
  return [
    {
      from,
      to: Math.max(from, to),
      severity: p.severity,
      message: problemSentence(p),
      renderMessage: () => document.createTextNode(''),
    },
  ];
}

function modeExtensions(mode: CodeMode, knowing: () => Knowing): Extension[] {
  if (mode === 'json') return [jsonMode(), values, completeNames(knowing, true)];
  return mode === 'expression' ? [completeNames(knowing, false)] : [values, completeNames(knowing, true)];
}

function fieldKeys(mode: CodeMode, fix: () => boolean, leave: () => void): KeyBinding[] {
  return [
    { key: 'Alt-Enter', run: fix },
    { key: 'Ctrl-Space', run: startCompletion },
    {
      key: 'Escape',
      run: (view) => {
        if (completionStatus(view.state) === 'active') return closeCompletion(view);
        leave();
        return true;
      },
    },
    ...(mode === 'expression' ? [{ key: 'Enter', run: (view: EditorView) => completionStatus(view.state) !== 'active' }] : []),
    ...(mode === 'words' ? [wrapKey('Mod-b', '**'), wrapKey('Mod-i', '_')] : []),
  ];
}

const wrapKey = (key: string, mark: string): KeyBinding => ({
  key,
  run: (view) => wrapSelection(view, mark),
  preventDefault: true,
});

/** Puts a mark of formatting around the selection, or takes it away where it is. */
export function wrapSelection(view: EditorView, mark: string): boolean {
  const { from, to } = view.state.selection.main;
  const { doc } = view.state;
  const around = doc.sliceString(from - mark.length, from) === mark && doc.sliceString(to, to + mark.length) === mark;
  if (around)
    view.dispatch({
      changes: [
        { from: from - mark.length, to: from },
        { from: to, to: to + mark.length },
      ],
    });
  else
    view.dispatch({
      changes: [
        { from, insert: mark },
        { from: to, insert: mark },
      ],
      selection: { anchor: from + mark.length, head: to + mark.length },
    });
  view.focus();
  return true;
}

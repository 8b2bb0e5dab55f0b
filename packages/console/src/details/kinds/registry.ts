import type { FunctionComponent } from 'react';
import { ActionEditor } from './action.js';
import { AgentEditor } from './agent.js';
import { AskEditor } from './ask.js';
import { BranchEditor } from './branch.js';
import { ChoiceEditor } from './choice.js';
import { EndEditor } from './end.js';
import { FlowEditor } from './flow.js';
import { HandOverEditor } from './hand-over.js';
import { ListenEditor } from './listen.js';
import { DrawEditor } from './draw.js';
import { LookupEditor } from './lookup.js';
import { ModelEditor } from './model.js';
import { NoteEditor } from './note.js';
import { NoticeEditor } from './notice.js';
import { ParallelEditor } from './parallel.js';
import { PauseEditor } from './pause.js';
import { SayEditor } from './say.js';
import { SetEditor } from './set.js';
import { SignInEditor } from './sign-in.js';
import { TableEditor } from './table.js';
import type { EditorProps } from './editor.js';

/** One editor per node kind. */
export const kindEditors: Readonly<Record<string, FunctionComponent<EditorProps>>> = {
  say: SayEditor,
  ask: AskEditor,
  choice: ChoiceEditor,
  listen: ListenEditor,
  'sign-in': SignInEditor,
  branch: BranchEditor,
  set: SetEditor,
  pause: PauseEditor,
  flow: FlowEditor,
  parallel: ParallelEditor,
  model: ModelEditor,
  agent: AgentEditor,
  draw: DrawEditor,
  lookup: LookupEditor,
  action: ActionEditor,
  table: TableEditor,
  notice: NoticeEditor,
  'hand-over': HandOverEditor,
  end: EndEditor,
  note: NoteEditor,
};

import type { AnyKind } from '../kind.js';
import { action } from './action.js';
import { agent } from './agent.js';
import { ask } from './ask.js';
import { branch } from './branch.js';
import { choice } from './choice.js';
import { draw } from './draw.js';
import { end } from './end.js';
import { flow } from './flow.js';
import { handOver } from './hand-over.js';
import { listen } from './listen.js';
import { lookup } from './lookup.js';
import { model } from './model.js';
import { note } from './note.js';
import { notice } from './notice.js';
import { parallel } from './parallel.js';
import { pause } from './pause.js';
import { say } from './say.js';
import { signIn } from './sign-in.js';
import { set } from './set.js';
import { table } from './table.js';

/** All kinds of node, in the order in which they are offered. */
export const nodeKinds: ReadonlyMap<string, AnyKind> = new Map(
  [
    say,
    ask,
    choice,
    listen,
    signIn,
    branch,
    set,
    pause,
    flow,
    parallel,
    model,
    agent,
    draw,
    lookup,
    action,
    table,
    notice,
    handOver,
    end,
    note,
  ].map((kind) => [kind.kind, kind]),
);

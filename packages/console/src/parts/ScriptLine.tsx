import type { ChatLine } from '@primrose/contract';
import type { ReactNode } from 'react';
import { Citations } from './Citations.js';
import { Markdown } from './Markdown.js';

const SPEAKERS = { visitor: 'Visitor', bot: 'Bot', staff: 'Staff', notice: '' } as const;

/** A line of a conversation as a play script has it: who in the margin, and what was said. */
export function ScriptLine({ line, children }: { readonly line: ChatLine; readonly children?: ReactNode }) {
  return (
    <div className={`line ${line.who}`}>
      <b>{line.by ?? SPEAKERS[line.who]}</b>
      <div dir="auto">
        <Markdown blocks={line.message.blocks} />
        <Citations cites={line.message.cites} />
        {line.message.choices && <span className="note">{line.message.choices.map((c) => c.says).join(' · ')}</span>}
        {line.failed !== undefined && <p className="plum">Not delivered: {line.failed}</p>}
        {children}
      </div>
    </div>
  );
}

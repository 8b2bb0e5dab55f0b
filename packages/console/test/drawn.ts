import type { TurnRecord } from '@primrose/contract';
import { type BotDocument, type TurnResult } from '@primrose/core';
import * as React from 'react';
import { renderToStaticMarkup } from 'react-dom/server';
import { QueryClientProvider } from '@tanstack/react-query';
import { MemoryRouter } from 'react-router';
import { queryClient } from '../src/api.js';
import { FieldContext, type FieldSetting } from '../src/details/setting.js';
import { DraftContext } from '../src/draft/context.js';
import type { DraftHandle } from '../src/draft/useDraft.js';

// Run as they are, without the build, components look for React where every module can see it.
Object.assign(globalThis, { React });
const { createElement } = React;

/** Draws a component as it first stands on a page of a bot, without a browser: its HTML. */
export function drawn<P extends object>(component: React.FunctionComponent<P>, props: P, document?: BotDocument): string {
  const inside = createElement(component, props);
  if (!document) return html(inside);
  const handle = { bot: 'b-1', document, revision: 7, edit: () => undefined } as unknown as DraftHandle;
  const setting: FieldSetting = {
    ...{ document, flowId: document.begins, problems: [], resolved: [], readIn: '', last: new Map() },
    applyFix: () => false,
    leave: () => undefined,
  };
  const field = createElement(FieldContext.Provider, { value: setting }, inside);
  return html(createElement(DraftContext.Provider, { value: handle }, field));
}

function html(page: React.ReactElement): string {
  return renderToStaticMarkup(
    createElement(QueryClientProvider, { client: queryClient }, createElement(MemoryRouter, null, page)),
  );
}

const MARKS: Readonly<Record<string, string>> = { '&lt;': '<', '&gt;': '>', '&quot;': '"', '&#x27;': "'", '&amp;': '&' };

/** What somebody reads of some HTML: its text, with single spaces. */
export function readable(html: string): string {
  return html
    .replace(/<[^>]*>/g, ' ')
    .replace(/&(?:lt|gt|quot|#x27|amp);/g, (mark) => MARKS[mark] ?? mark)
    .replace(/\s+/g, ' ')
    .trim();
}

/** What stands under each heading of some HTML, by the heading. */
export function sections(html: string): Readonly<Record<string, string>> {
  const parts = html.split(/<h2[^>]*>/).slice(1);
  return Object.fromEntries(
    parts.map((part) => {
      const [head = '', ...rest] = part.split('</h2>');
      return [readable(head).replace(/ .*/, ''), readable(rest.join('</h2>'))];
    }),
  );
}

/** A turn as the console gets it. */
export function recordOf({ sheet }: TurnResult, more: Partial<TurnRecord> = {}): TurnRecord {
  return {
    id: 't-1',
    parent: null,
    again: null,
    samples: {},
    conversation: 'c-1',
    number: 1,
    at: sheet.heard.at,
    ms: 42,
    release: 3,
    revision: null,
    sheet,
    timings: sheet.path.map((_, i) => ({ begins: i, ms: 1 })),
    waitsAt: null,
    ...more,
  };
}

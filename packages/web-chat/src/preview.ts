import type { ChatLook } from '@primrose/contract';
import { flower } from './head.js';
import { drawLook, saidIn } from './look.js';
import { el } from './render.js';
import { directionOf, wordsFor } from './words.js';

/*
 * The chat as it looks with settings that are not saved yet, for the console's page of the channel. It asks the service for nothing.
 */

interface Told {
  readonly primrose: 'preview';
  readonly look: ChatLook;
  readonly open: boolean;
  readonly language: string;
}

/** Draws whatever the console sends. */
export function preview(root: HTMLElement): void {
  addEventListener('message', ({ origin, source, data }: MessageEvent<Told | null>) => {
    if (origin === location.origin && source === window.parent && data?.primrose === 'preview') draw(root, data);
  });
  window.parent.postMessage({ primrose: 'ready' }, location.origin);
}

function draw(root: HTMLElement, { look, open, language }: Told): void {
  const words = wordsFor(language);
  const said = saidIn(look, language, words);
  const { documentElement: page, body } = document;
  page.removeAttribute('style');
  delete page.dataset['theme'];
  delete page.dataset['ground'];
  page.lang = language;
  page.dir = directionOf(language);
  drawLook(look);
  const mark = () => (look.logo === null ? flower() : el('img', { src: look.logo, alt: '', class: 'logo' }));
  body.querySelector('button.bubble')?.remove();
  body.dataset['bubble'] = open ? 'open' : 'closed';
  if (!open) body.prepend(el('button', { type: 'button', class: 'bubble', disabled: '' }, mark(), el('span', {}, said.open)));
  const starters = said.starters.map((s) => el('button', { type: 'button', disabled: '' }, s));
  root.replaceChildren(
    el(
      'header',
      {},
      mark(),
      el('div', { class: 'who' }, el('h1', {}, said.name), el('p', {}, said.about)),
      el('span', { class: 'spring' }),
      el('button', { type: 'button', class: 'link', disabled: '' }, words.startOver),
    ),
    el(
      'div',
      { class: 'log' },
      el('div', { class: 'theirs bot' }, el('p', {}, '…')),
      el('div', { class: 'choices' }, ...starters),
      el('div', { class: 'mine' }, el('p', {}, said.starters[0] ?? '…')),
    ),
    el(
      'form',
      { class: 'composer' },
      el('input', { placeholder: said.say, disabled: '', 'aria-label': said.say }),
      el('button', { type: 'button', class: 'go', disabled: '', 'aria-label': words.send }, '↑'),
    ),
  );
}

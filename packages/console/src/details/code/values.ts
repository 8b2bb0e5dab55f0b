import { Decoration, MatchDecorator, ViewPlugin, type DecorationSet, type EditorView, type ViewUpdate } from '@codemirror/view';

const inBraces = new MatchDecorator({ regexp: /\{\{.*?\}\}/g, decoration: Decoration.mark({ class: 'cm-value' }) });

/** Sets what stands in `{{ }}` apart from the words around it. */
export const values = ViewPlugin.fromClass(
  class {
    decorations: DecorationSet;
    constructor(view: EditorView) {
      this.decorations = inBraces.createDeco(view);
    }
    update(update: ViewUpdate) {
      this.decorations = inBraces.updateDeco(update, this.decorations);
    }
  },
  { decorations: (plugin) => plugin.decorations },
);

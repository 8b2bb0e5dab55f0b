export {
  copyNodes,
  duplicateFlow,
  moveNodes,
  pasteNodes,
  pointAtCopy,
  readClip,
  sharedReferences,
  type Clip,
  type Pasted,
  type SharedReference,
} from './clipboard.js';
export { cutOut, typeOfVariable, type CutOut } from './cut-out.js';
export { find, findables, replacements, replaceTexts, type Findable, type Hit, type Replacement } from './find.js';
export { fixFor, type Fix } from './fixes.js';
export {
  addFlow,
  addLines,
  addNode,
  callersOf,
  changeKind,
  changeNode,
  freeId,
  idOf,
  kindsFor,
  linesOf,
  linkExit,
  removeNode,
  removeNodes,
  setField,
  switchNodes,
  type Added,
  type After,
  type Callers,
} from './nodes.js';
export { referredTo, valueAt, variablesOf, withValueAt } from './references.js';
export { fieldsFromExample, type FieldsFromExample } from './from-example.js';
export { readyMade, type ReadyMade } from './ready-made.js';
export {
  addPage,
  addPart,
  addSearchPage,
  changePage,
  copyPage,
  flowsOfPage,
  movePart,
  removePart,
  unshown,
  widenPart,
  withProposal,
} from './pages.js';

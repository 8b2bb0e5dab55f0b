export { checksum } from './checksum.js';
export { blockShape, escapeMarkdown, plainText, readMarkdown, safeAddress, type Block, type Inline } from './markdown.js';
export { editDistance, nearest } from './nearest.js';
export { estimateTokens } from './tokens.js';

export { drawFlow, type SvgOptions } from './draw.js';
export { BANDS, chipLines, exitsOf, layoutFlow, type FlowLayout, type PlacedChip, type PlacedNode } from './layout.js';
export { drawingOf, MOST_HUNG, plainName, plainProse, type Drawing, type DrawnNode } from './measure.js';
export { routeRails, type MapGeometry, type Rail, type Routed } from './rails.js';

import type { LookOf } from '../../src/knowledge/lookups.js';

/** For tests in which nobody looks anything up. */
export const noLookups: LookOf = () => () => ({ outcome: 'looked-up', passages: [], covered: false, share: 0, missing: [] });

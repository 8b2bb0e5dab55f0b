/** A bot document with so many flows and nodes in all. */
export function largeBot(flows: number, nodes: number, name?: string): unknown;

import { expect } from 'chai';
import { exitsOf, type Drawing, type Flow } from '@primrose/core';

type Point = readonly [number, number];

/** The straight runs of a rail; the path's rounded corners count with both their ends. */
function runs(path: string): [Point, Point][] {
  const points = [...path.matchAll(/(?:[ML]|Q[\d.-]+ [\d.-]+ )([\d.-]+) ([\d.-]+)/g)].map((m): Point => [
    Number(m[1]),
    Number(m[2]),
  ]);
  return points.slice(1).map((p, i) => [points[i] ?? p, p]);
}

interface Box {
  readonly id: string;
  readonly left: number;
  readonly right: number;
  readonly top: number;
  readonly bottom: number;
}

function boxesOf(drawing: Drawing): Box[] {
  return drawing.nodes.map((n) => {
    return { id: n.placed.id, left: n.left, right: n.left + n.width, top: n.top, bottom: n.top + n.height };
  });
}

/** Rails that touch a node anywhere but below the one they leave and above the one they enter. */
export function railsThroughNodes(drawing: Drawing): string[] {
  const boxes = boxesOf(drawing);
  const found: string[] = [];
  for (const rail of drawing.rails) {
    for (const [[x1, y1], [x2, y2]] of runs(rail.path)) {
      const [left, right, top, bottom] = [Math.min(x1, x2), Math.max(x1, x2), Math.min(y1, y2), Math.max(y1, y2)];
      const hit = boxes.find((b) => right > b.left && left < b.right && bottom > b.top && top < b.bottom);
      if (hit) found.push(`${rail.node}/${rail.exit} runs through ${hit.id}`);
    }
  }
  return found;
}

export function overlaps(drawing: Drawing): string[] {
  const boxes = boxesOf(drawing);
  return boxes.flatMap((a, i) =>
    boxes
      .slice(i + 1)
      .filter((b) => a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom)
      .map((b) => `${a.id} and ${b.id}`),
  );
}

/** Every link is drawn or written, none is both, and at most half the exits are written. */
export function expectEveryLink(flow: Flow, drawing: Drawing): void {
  const rails = new Map(drawing.rails.map((r) => [`${r.node}/${r.exit}`, r.to]));
  let written = 0;
  for (const { placed } of drawing.nodes) {
    expect(placed.chips.map((c) => c.exit)).to.have.members(exitsOf(flow, placed.id).map((e) => e.name));
    for (const chip of placed.chips) {
      const to = flow.nodes[placed.id]?.exits?.[chip.exit];
      const known = to !== undefined && to in flow.nodes ? to : undefined;
      expect(chip.to).to.equal(known);
      expect(rails.get(`${placed.id}/${chip.exit}`)).to.equal(chip.written ? undefined : known);
      if (chip.written) written++;
    }
  }
  expect(written).to.be.at.most(drawing.nodes.flatMap((n) => n.placed.chips).length / 2);
}

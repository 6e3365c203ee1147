import type { SegmentView } from '../segments/view.js';

/**
 * Which rows of a segment a condition holds for: all, none, those with 1, or all of some layouts. The last
 * needs no column as long as nothing but the number of rows is wanted.
 */
export type Selection = boolean | Uint8Array | LayoutSelection;

/** All records of the layouts (by their code in the segment) that pass. */
export class LayoutSelection {
  constructor(readonly passes: readonly boolean[]) {}
}

export function selectLayouts(passes: readonly boolean[]): Selection {
  if (passes.every((pass) => pass)) return true;
  return passes.includes(true) ? new LayoutSelection(passes) : false;
}

/** Rows of a segment: all, none, or those with 1. */
export type Rows = true | false | Uint8Array;

export const holds = (rows: Rows, row: number): boolean =>
  rows === true || (rows !== false && rows[row] === 1);

/** The rows of a selection one by one. */
export async function rowsOfSelection(view: SegmentView, selection: Selection): Promise<Rows> {
  return selection instanceof LayoutSelection ? byCode(selection.passes, () => view.layouts()) : selection;
}

/** Rows whose code is among those that pass; the codes are only read where it matters. */
export async function byCode(
  passes: readonly boolean[],
  codesOf: () => Promise<Uint8Array | Uint16Array>,
): Promise<Rows> {
  if (passes.every((pass) => pass)) return true;
  if (!passes.includes(true)) return false;
  const codes = await codesOf();
  const rows = new Uint8Array(codes.length);
  const hits = Uint8Array.from(passes, Number);
  for (let row = 0; row < rows.length; row++) rows[row] = hits[codes[row]!]!;
  return rows;
}

export async function both(view: SegmentView, a: Selection, b: Selection): Promise<Selection> {
  if (a === true) return b;
  if (b === true) return a;
  if (a === false || b === false) return false;
  if (a instanceof LayoutSelection && b instanceof LayoutSelection)
    return selectLayouts(a.passes.map((pass, code) => pass && b.passes[code]!));
  const one = (await rowsOfSelection(view, a)) as Uint8Array;
  const other = (await rowsOfSelection(view, b)) as Uint8Array;
  return one.map((hit, row) => hit & other[row]!);
}

export async function either(view: SegmentView, a: Selection, b: Selection): Promise<Selection> {
  if (a === false) return b;
  if (b === false) return a;
  if (a === true || b === true) return true;
  if (a instanceof LayoutSelection && b instanceof LayoutSelection)
    return selectLayouts(a.passes.map((pass, code) => pass || b.passes[code]!));
  const one = (await rowsOfSelection(view, a)) as Uint8Array;
  const other = (await rowsOfSelection(view, b)) as Uint8Array;
  return one.map((hit, row) => hit | other[row]!);
}

export function opposite(selection: Selection): Selection {
  if (typeof selection === 'boolean') return !selection;
  if (selection instanceof LayoutSelection) return selectLayouts(selection.passes.map((pass) => !pass));
  return selection.map((hit) => 1 - hit);
}

/** Records of a selection; of whole layouts they are counted in the summary already. */
export function countSelected(view: SegmentView, selection: Selection): number {
  if (selection === true) return view.count;
  if (selection === false) return 0;
  if (selection instanceof LayoutSelection) {
    return view.summary.layoutCounts.reduce(
      (sum, count, code) => sum + (selection.passes[code] ? count : 0),
      0,
    );
  }
  let count = 0;
  for (const hit of selection) count += hit;
  return count;
}

import type { ChangeBody, OnsetsSearchAnswer } from '@flail/contract';
import { foldChanges } from '@flail/core/changes';
import type { Span } from '../context/view-state.js';
import { plural } from '../format/numbers.js';
import { clockTime, duration } from '../format/times.js';
import { groupName } from '../onsets/sentences.js';

/** A glyph for each kind of change; the word stands beside it where there is room. */
export const KIND_GLYPHS: Record<string, string> = {
  deployment: '▲',
  configuration: '◆',
  scaling: '↕',
  restart: '↻',
  readiness: '◌',
  'time sync': '◷',
  other: '·',
};

const detailsOf = ({ details }: Pick<ChangeBody, 'details'>): Record<string, unknown> =>
  typeof details === 'object' && details !== null ? (details as Record<string, unknown>) : {};

const wordOf = (value: unknown): string =>
  typeof value === 'string' ? value : value === undefined || value === null ? '' : JSON.stringify(value);

/** Who or what did it. */
export const byOf = (change: Pick<ChangeBody, 'details'>): string => wordOf(detailsOf(change).by);

/** From what to what; undefined where it does not say. */
export function stepOf(
  change: Pick<ChangeBody, 'details'>,
): { key: string; from: string; to: string } | undefined {
  const { key, from, to } = detailsOf(change);
  return from === undefined && to === undefined
    ? undefined
    : { key: wordOf(key), from: wordOf(from) || 'nothing', to: wordOf(to) || 'nothing' };
}

/** What a search looks through, in lower case. */
export const textOf = ({ title, kind, source, entity, details }: ChangeBody): string =>
  [title, kind, source, ...Object.values(entity), JSON.stringify(details)].join(' ').toLowerCase();

/** What the list comes to, in a sentence. */
export function changesFinding(
  changes: readonly Pick<ChangeBody, 'time' | 'title' | 'id'>[],
  focus: Span | undefined,
  onsets: OnsetsSearchAnswer | undefined,
): string {
  if (changes.length === 0) return 'Nothing that was told of was changed in this time.';
  const near = onsets?.changes
    .filter(({ then }) => then !== undefined)
    .sort((a, b) => a.then!.seconds - b.then!.seconds);
  const told = `${plural(changes.length, 'change')}`;
  if (near && near.length > 0) {
    const ranked = onsets!.origins[0];
    const first =
      near.find(({ then }) => then!.group === ranked?.group) ??
      near.find(({ service, then }) => onsets!.groups[then!.group]!.service === service) ??
      near[0]!;
    return `${told}; ${first.title} at ${clockTime(first.time).slice(0, 5)} stands nearest before what moved, ${groupName(onsets!.groups[first.then!.group]!)}.`;
  }
  if (!focus) return `${told}.`;
  const inFocus = changes.filter(({ time }) => Date.parse(time) >= focus.from && Date.parse(time) < focus.to);
  const after = onsets ? ', and nothing moved soon after any of them that may have to do with it' : '';
  return `${told}, ${inFocus.length === 0 ? 'none' : String(inFocus.length)} of them in the focus${after}.`;
}

/** A change with what it brought about. */
export interface Row extends ChangeBody {
  brought: ChangeBody[];
}

/** The newest first; restarts stand with what brought them about. */
export function rowsOf(changes: readonly ChangeBody[]): Row[] {
  const byId = new Map(changes.map((change) => [change.id, change]));
  return foldChanges(
    changes.map(({ id, time, kind, entity }) => ({
      id,
      at: Date.parse(time) * 1000,
      kind,
      service: entity.service ?? '',
    })),
  )
    .map(({ id, brought }) => ({ ...byId.get(id)!, brought: brought.map((one) => byId.get(one)!) }))
    .reverse();
}

/** What moved first after a change that may have to do with it. */
export function thenOf({ id }: ChangeBody, onsets: OnsetsSearchAnswer | undefined): string {
  const then = onsets?.changes.find((one) => one.id === id)?.then;
  if (!then) return '';
  const after = then.seconds < 60 ? 'less than a minute' : duration(Math.round(then.seconds / 60) * 60_000);
  return `${after} before ${groupName(onsets.groups[then.group]!)} moved`;
}

import type { RulesBundle } from '@flail/contract';
import { type Correction, type Grouping, type Mark, MARK_WEIGHTS, slotForm } from '@flail/core';
import { badRequest } from '../problems/problem.js';
import type { CorrectionDto, MarkDto } from './rules.dto.js';

/** A mark as it is told. */
export const markBody = ({ until, ...mark }: Mark): RulesBundle['marks'][number] => ({
  ...mark,
  ...(until !== undefined && { until: new Date(until / 1000).toISOString() }),
});

export const markOf = ({ kind, pattern, reason, weight, until }: MarkDto): Mark => ({
  kind,
  pattern,
  reason: reason ?? '',
  weight: weight ?? MARK_WEIGHTS[kind],
  ...(until !== undefined && { until: Date.parse(until) * 1000 }),
});

/** The pattern that a name or an id means. */
export const find = (grouping: Grouping, ref: string): ReturnType<Grouping['patterns']['find']> =>
  grouping.patterns.find(grouping.named(ref) ?? ref);

/** The rule that a body means. Rules that are carried here may speak of patterns that have not come yet. */
export function correctionOf(body: CorrectionDto, grouping: Grouping, carried = false): Correction {
  const known = (ref: string): string => {
    const pattern = find(grouping, ref);
    if (!pattern && !carried)
      throw badRequest('no-such-pattern', `There is no pattern "${ref}" in this data set.`);
    return pattern && !carried ? pattern.id : ref;
  };
  switch (body.kind) {
    case 'join':
      return { kind: 'join', patterns: body.patterns!.map(known) };
    case 'slot': {
      const pattern = known(body.pattern!);
      if (body.form !== undefined) return { kind: 'slot', pattern, form: body.form };
      const forms = grouping.patterns.find(pattern)!.layouts.flatMap((layout) => {
        const form = slotForm(layout, body.word!, body.occurrence);
        return form === undefined ? [] : [form];
      });
      if (forms.length === 0)
        throw badRequest('no-such-word', `"${body.word!}" is no constant word of the pattern ${pattern}.`);
      return { kind: 'slot', pattern, form: forms[0]! };
    }
    case 'split': {
      const pattern = known(body.pattern!);
      const own = grouping.patterns.find(pattern);
      const slots = own ? grouping.patterns.slotsOf(own).types.length : Infinity;
      if (body.slot! >= slots && !carried)
        throw badRequest('no-such-slot', `The pattern ${pattern} has ${slots} slots, counted from 0.`);
      return { kind: 'split', pattern, slot: body.slot!, ...(body.values && { values: body.values }) };
    }
    case 'apart':
      return { kind: 'apart', pattern: known(body.pattern!), layout: body.layout! };
    case 'name':
      return { kind: 'name', pattern: known(body.pattern!), name: body.name! };
  }
}

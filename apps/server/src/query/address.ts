import { momentText } from '@flail/core/time';
import type { Asked } from './planner.js';

/** The address of a view with the windows and the scope of a question. */
export function addressOf(
  { dataset, window, baseline, scope }: Pick<Asked, 'dataset' | 'window' | 'baseline' | 'scope'>,
  path: string,
  more: Record<string, string> = {},
): string {
  const span = ({ from, to }: { from: number; to: number }): string =>
    `${momentText(from)}~${momentText(to)}`;
  const parameters = {
    ...(dataset.key !== 'live' && { data: dataset.key }),
    focus: span(window),
    ...(baseline && { against: 'free', baseline: span(baseline) }),
    ...(scope !== '' && { scope }),
    ...more,
  };
  return `${path}?${new URLSearchParams(parameters).toString()}`;
}

import type { ChartColours } from './options.js';

/** The colours of the theme that is on, for the drawing library. */
export function coloursOf(element: HTMLElement): ChartColours & { focus: string; error: string } {
  const style = getComputedStyle(element);
  const of = (name: string): string => style.getPropertyValue(name).trim();
  return {
    ink: of('--ink-soft'),
    rule: of('--rule'),
    base: of('--base'),
    ground: of('--raised'),
    focus: of('--focus'),
    error: of('--error'),
  };
}

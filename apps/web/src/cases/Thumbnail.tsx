import { useQuery } from '@tanstack/react-query';
import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';
import { api } from '../api/client.js';
import { readBody } from '../api/queries.js';
import { readState } from '../context/view-state.js';
import { dayTime } from '../format/times.js';
import { plotsFrom } from '../metrics/plots.js';
import classes from './cases.module.css';

const POINTS = 60;
const [WIDTH, HEIGHT] = [220, 34];

/** What a pinned view is about, over its focus: drawn anew from the data, not kept as a picture. */
export function Thumbnail({ address }: { address: string }) {
  const [path = '', text = ''] = address.split('?');
  const parameters = new URLSearchParams(text);
  const state = readState(parameters);
  const body = readBody(state);
  const [plot] = path === '/metrics' ? plotsFrom(parameters.get('plots') ?? '') : [];
  const drawn = useQuery({
    queryKey: ['thumbnail', address],
    queryFn: async ({ signal }) => {
      const { lines } = await api.plot(
        {
          ...body!,
          source: plot?.sources[0] ?? { of: 'expression', expression: state.scope },
          points: POINTS,
        },
        signal,
      );
      return lines[0]?.values ?? [];
    },
    enabled: body !== undefined,
    staleTime: Infinity,
  });
  const stroke = drawn.data && lineThrough(drawn.data);
  if (!body || !stroke) return null;
  const { from, to } = state.focus!;
  return (
    <svg
      className={classes.thumbnail}
      width={WIDTH}
      height={HEIGHT}
      role="img"
      aria-label={`Over time from ${dayTime(new Date(from).toISOString())} to ${dayTime(new Date(to).toISOString())}`}
    >
      <path d={stroke} />
    </svg>
  );
}

/** The path of a line from nothing up; gaps stay gaps. */
function lineThrough(values: readonly (number | null)[]): string | null {
  const known = values.filter((value) => value !== null);
  if (known.length < 2) return null;
  const x = scaleLinear([0, values.length - 1], [0, WIDTH]);
  const y = scaleLinear([Math.min(0, ...known), Math.max(...known, 1e-9)], [HEIGHT - 1, 1]);
  return line<number | null>()
    .defined((value) => value !== null)
    .x((_, at) => x(at))
    .y((value) => y(value ?? 0))(values);
}

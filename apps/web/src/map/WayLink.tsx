import { Link, useLocation, useSearchParams } from 'react-router';
import { carriedParameters } from '../context/view-state.js';
import type { LitWay } from './graph.js';

/** From requests that are looked at to their way over the map. */
export function WayLink({ way }: { way: LitWay }) {
  const [parameters] = useSearchParams();
  const { pathname, search } = useLocation();
  const next = carriedParameters(parameters);
  next.set('way', way);
  return (
    <Link
      className="word"
      to={`/map?${next.toString()}`}
      state={{ carried: 'the way of requests', back: `${pathname}${search}` }}
    >
      their way on the map
    </Link>
  );
}

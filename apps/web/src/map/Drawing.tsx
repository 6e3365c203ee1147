import { useElementSize } from '@mantine/hooks';
import { percent, shortCount } from '../format/numbers.js';
import { callText, failedShare, type MapCall, type MapGraph, type MapNode, TOLERANCE } from './graph.js';
import classes from './map.module.css';

const BOX = { width: 122, height: 34 };
const MARGIN = 10;
/** Width of a layer, at least. */
const LAYER = 136;

interface DrawingProps {
  graph: MapGraph;
  chosen: string;
  /** Share of the requests, whose way is lit, that make a call. */
  share: ((call: MapCall) => number) | undefined;
  onChoose: (name: string) => void;
}

/** Boxes in layers, callers to the left of whom they call. */
export function Drawing({ graph: { nodes, calls }, chosen, share, onChoose }: DrawingProps) {
  const { ref, width, height } = useElementSize();
  const layers = Math.max(...nodes.map(({ layer }) => layer)) + 1;
  const places = Math.max(...nodes.map(({ place }) => Math.abs(place))) * 2 + 1;
  const acrossStep =
    layers > 1 ? (Math.max(width, layers * LAYER) - BOX.width - 2 * MARGIN) / (layers - 1) : 0;
  const downStep = Math.max(BOX.height + 14, Math.min(92, (height - 2 * MARGIN) / places));
  const tall = Math.max(height - 4, places * downStep + 2 * MARGIN);
  const at = (node: MapNode): { x: number; y: number } => ({
    x: MARGIN + node.layer * acrossStep,
    y: tall / 2 + node.place * downStep - BOX.height / 2,
  });
  const byName = new Map(nodes.map((node) => [node.name, at(node)]));
  const most = Math.max(1, ...calls.map(({ focus }) => focus?.calls ?? 0));
  const touches = (call: MapCall): boolean =>
    (chosen === '' || call.from === chosen || call.to === chosen) && (!share || share(call) > 0);
  const widthOf = (call: MapCall): number =>
    share ? 1 + 6 * share(call) : 1 + 5 * Math.sqrt((call.focus?.calls ?? 0) / most);
  const near = new Set(calls.filter(touches).flatMap(({ from, to }) => [from, to]));
  return (
    <div ref={ref} className={classes.drawing}>
      <svg width={Math.max(width, layers * LAYER)} height={tall} role="group" aria-label="Who calls whom">
        {calls.map((call) => {
          const [a, b] = [byName.get(call.from)!, byName.get(call.to)!];
          const back = b.x <= a.x;
          const [x1, y1] = [a.x + BOX.width, a.y + BOX.height / 2];
          const [x2, y2] = [back ? b.x + BOX.width : b.x, b.y + BOX.height / 2];
          const bend = back ? 60 : Math.max(30, (x2 - x1) / 2);
          return (
            <path
              key={`${call.from} ${call.to}`}
              d={`M${x1},${y1}C${x1 + bend},${y1} ${back ? x2 + bend : x2 - bend},${y2} ${x2},${y2}`}
              className={classes.call}
              data-failing={failedShare(call.focus) > TOLERANCE}
              data-gone={call.focus === undefined}
              data-lit={touches(call)}
              data-way={share && touches(call)}
              strokeWidth={widthOf(call)}
            >
              <title>{`${call.from} → ${call.to}: ${share ? `on the way of ${percent(share(call))}; ` : ''}${callText(call)}`}</title>
            </path>
          );
        })}
        {nodes.map((node) => {
          const { x, y } = byName.get(node.name)!;
          const into = calls.filter(({ to, focus }) => to === node.name && focus);
          const asked = into.reduce((sum, { focus }) => sum + focus!.calls, 0);
          const failed = into.reduce((sum, { focus }) => sum + focus!.failed, 0);
          return (
            <g
              key={node.name}
              transform={`translate(${x},${y})`}
              className={classes.node}
              data-kind={node.kind}
              data-lit={near.has(node.name)}
              data-chosen={node.name === chosen}
              role="button"
              tabIndex={0}
              aria-label={node.name}
              onClick={() => onChoose(node.name)}
              onKeyDown={({ key }) => key === 'Enter' && onChoose(node.name)}
            >
              <rect width={BOX.width} height={BOX.height} rx={2} />
              <text x={8} y={14}>
                {node.name.length > 17 ? `${node.name.slice(0, 16)}…` : node.name}
              </text>
              <text
                x={8}
                y={28}
                className={classes.small}
                data-failing={asked > 0 && failed / asked > TOLERANCE}
              >
                {node.kind === 'job'
                  ? 'job'
                  : asked === 0
                    ? 'asked by nobody here'
                    : `${shortCount(Math.round(asked))}, ${percent(failed / asked)} failed`}
              </text>
            </g>
          );
        })}
      </svg>
    </div>
  );
}

import { useElementSize, useMergedRef } from '@mantine/hooks';
import { type Ref, useEffect, useImperativeHandle, useRef } from 'react';
import type { DrawingHandle } from '../charts/Drawing.js';
import { connect, init } from '../charts/echarts.js';
import { coloursOf } from '../charts/colours.js';
import { type PlotDrawn, plotOption } from './plot-option.js';

interface Props {
  drawn: PlotDrawn;
  height: number;
  /** A stretch of time was drawn. */
  onStretch: (from: number, to: number) => void;
  /** A moment, or a sample request, was pressed. */
  onPoint: (moment: number, trace?: string) => void;
  ref?: Ref<DrawingHandle>;
}

/** Plots whose cursors go together. */
const TOGETHER = 'plots';

interface BrushEnd {
  areas: { coordRange?: [number, number] }[];
}

/** Draws a plot; pressing tells of a moment, drawing a stretch of time. */
export default function PlotDrawing({ drawn, height, onStretch, onPoint, ref }: Props) {
  const { ref: sized, width } = useElementSize<HTMLDivElement>();
  const host = useRef<HTMLDivElement>(null);
  const merged = useMergedRef(sized, host);
  const chart = useRef<Plotted | undefined>(undefined);
  const told = useRef({ onStretch, onPoint });
  useEffect(() => {
    told.current = { onStretch, onPoint };
  });
  useEffect(() => {
    const element = host.current;
    if (!element || width === 0) return undefined;
    // Each plot in a task of its own, so that none keeps the page waiting for all.
    const soon = setTimeout(() => {
      chart.current ??= plotIn(element, { width, height }, told);
      if (chart.current.getWidth() !== width) chart.current.resize({ width, height });
      chart.current.setOption(plotOption(drawn, coloursOf(element)), { notMerge: true });
      if (element.matches(':hover')) chart.current.dispatchAction(DRAWING);
    });
    return () => clearTimeout(soon);
  }, [width, height, drawn]);
  useEffect(
    () => () => {
      chart.current?.dispose();
      chart.current = undefined;
    },
    [],
  );
  useImperativeHandle(ref, () => ({ svg: () => chart.current?.renderToSVGString() ?? '' }), []);
  // Drawing with the pointer is made ready when the pointer comes: until then it would only cost.
  return (
    <div
      ref={merged}
      style={{ height }}
      aria-hidden
      onPointerEnter={() => chart.current?.dispatchAction(DRAWING)}
    />
  );
}

/** Takes the pointer for drawing stretches of time; other plots are not told. */
const DRAWING = {
  type: 'takeGlobalCursor',
  key: 'brush',
  brushOption: { brushType: 'lineX', brushMode: 'single' },
  escapeConnect: true,
};

type Plotted = ReturnType<typeof init>;

/** An empty plot in an element. */
function plotIn(
  element: HTMLElement,
  size: { width: number; height: number },
  told: { readonly current: Pick<Props, 'onStretch' | 'onPoint'> },
): Plotted {
  const own = init(element, null, { renderer: 'svg', ...size });
  own.group = TOGETHER;
  connect(TOGETHER);
  const momentAt = (x: number): number => own.convertFromPixel({ xAxisIndex: 0 }, x);
  let pressed = NaN;
  own.getZr().on('mousedown', (event) => {
    pressed = event.offsetX;
  });
  own.getZr().on('click', (event) => {
    if (Math.abs(event.offsetX - pressed) < 4) told.current.onPoint(momentAt(event.offsetX));
  });
  own.on('click', (event) => {
    const { trace } = (event.data ?? {}) as { trace?: string };
    if (trace !== undefined) told.current.onPoint((event.value as [number, number])[0], trace);
  });
  own.on('brushEnd', (event) => {
    const range = (event as BrushEnd).areas[0]?.coordRange;
    own.dispatchAction({ type: 'brush', areas: [] });
    if (range && range[1] - range[0] > 1000) told.current.onStretch(range[0], range[1]);
  });
  return own;
}

import { useElementSize, useMergedRef } from '@mantine/hooks';
import { type Ref, useEffect, useImperativeHandle, useRef } from 'react';
import { init } from './echarts.js';
import { coloursOf } from './colours.js';
import { type ChartData, type ChartKind, chartOption } from './options.js';

/** A drawing that can be taken away as a picture. */
export interface DrawingHandle {
  svg: () => string;
}

interface Props {
  data: ChartData;
  kind: ChartKind;
  height: number;
  ref?: Ref<DrawingHandle>;
}

/** Draws series; in a chunk of its own, since the library that draws is large. */
export default function Drawing({ data, kind, height, ref }: Props) {
  const { ref: sized, width } = useElementSize<HTMLDivElement>();
  const host = useRef<HTMLDivElement>(null);
  const merged = useMergedRef(sized, host);
  const chart = useRef<ReturnType<typeof init>>(undefined);
  useEffect(() => {
    const element = host.current;
    if (!element || width === 0) return undefined;
    const drawn = init(element, null, { renderer: 'svg', width, height });
    drawn.setOption(chartOption(data, kind, coloursOf(element)));
    chart.current = drawn;
    return () => drawn.dispose();
  }, [width, height, data, kind]);
  useImperativeHandle(ref, () => ({ svg: () => chart.current?.renderToSVGString() ?? '' }), []);
  return <div ref={merged} style={{ height }} aria-hidden />;
}

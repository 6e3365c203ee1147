import { Menu, Tooltip } from '@mantine/core';
import { useCallbackRef, useDebouncedCallback, useElementSize } from '@mantine/hooks';
import { IconChevronDown, IconLock, IconLockOpen } from '@tabler/icons-react';
import { scaleTime } from 'd3-scale';
import dayjs from 'dayjs';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useChanges, useHeld, useVolume } from '../api/queries.js';
import {
  BASELINE_CHOICES,
  BASELINE_WORDS,
  baselineOf,
  type Span,
  useViewState,
} from '../context/view-state.js';
import { percent } from '../format/numbers.js';
import { dragged, type Grip, gripAt, zoomed } from './drag.js';
import { drawRibbon } from './ribbon.js';
import { Flags } from './Flags.js';
import { FocusMenu } from './FocusMenu.js';
import classes from './timeband.module.css';
import { WindowText } from './WindowText.js';

const LINE = 32;
const VOLUME_HEIGHT = 28;
const ERROR_DEPTH = 12;
const RIBBON_HEIGHT = 68;

interface Drag {
  grip: Grip;
  start: number;
  span: Span | undefined;
  now: number;
}

/** The whole time held, with focus and baseline lying on it. */
export function Timeband() {
  const [state, change] = useViewState();
  const { ref, width } = useElementSize<HTMLDivElement>();
  const holding = useHeld().data;
  const held = holding?.span;
  const until = holding?.until;
  const [zoom, setZoom] = useState<Span | null | undefined>(undefined);
  const band = (zoom === undefined ? state.band : zoom) ?? held;
  const shown = zoom === undefined ? state.band : (zoom ?? undefined);
  const steps = Math.min(1200, Math.max(60, Math.floor(width / 2)));
  const volume = useVolume(state.dataset, shown, state.scope, steps);
  const changes = useChanges(state.dataset, band).data?.changes;
  const [drag, setDrag] = useState<Drag>();
  const surface = useRef<SVGSVGElement>(null);
  const saveZoom = useDebouncedCallback((next: Span | null) => {
    change({ band: next }, true);
    setZoom(undefined);
  }, 350);

  const scale = useMemo(
    () =>
      scaleTime()
        .domain(band ? [band.from, band.to] : [0, 1])
        .range([0, Math.max(1, width)]),
    [band, width],
  );
  const ticks = useMemo(
    () =>
      band
        ? scale
            .ticks(Math.max(2, Math.floor(width / 110)))
            .map((tick) => ({ at: scale(tick), text: tickText(tick, band) }))
        : [],
    [band, scale, width],
  );
  const choose = useCallbackRef((span: Span) => change({ focus: span }));
  const x = (moment: number): number => scale(moment);
  const momentAt = (event: { clientX: number }): number =>
    scale.invert(event.clientX - (surface.current?.getBoundingClientRect().left ?? 0)).getTime();

  useEffect(() => {
    const element = surface.current;
    if (!element || !held || !band) return undefined;
    const wheel = (event: WheelEvent): void => {
      event.preventDefault();
      const around = scale.invert(event.clientX - element.getBoundingClientRect().left).getTime();
      const next = zoomed(band, around, event.deltaY > 0 ? 1.35 : 1 / 1.35, held) ?? null;
      setZoom(next);
      saveZoom(next);
    };
    element.addEventListener('wheel', wheel, { passive: false });
    return () => element.removeEventListener('wheel', wheel);
  }, [band, held, scale, saveZoom]);

  const draft = drag && band ? dragged(drag.grip, drag.span, drag.start, drag.now, band) : undefined;
  const focus = draft && !drag!.grip.startsWith('baseline') ? draft : state.focus;
  const baseline =
    draft && drag!.grip.startsWith('baseline')
      ? draft
      : focus && (state.choice === 'free' ? state.baseline : baselineOf(focus, state.choice, undefined));

  const begin = (event: React.PointerEvent): void => {
    if (event.button !== 0 || !band) return;
    const at = momentAt(event);
    const pixels = (span: Span | undefined): [number, number] | undefined =>
      span && [x(span.from), x(span.to)];
    const grip = gripAt(x(at), pixels(state.focus), pixels(state.baseline));
    const span = grip === 'draw' ? undefined : grip.startsWith('focus') ? state.focus : state.baseline;
    surface.current?.setPointerCapture(event.pointerId);
    setDrag({ grip, start: at, span, now: at });
  };
  const end = (): void => {
    setDrag(undefined);
    if (!drag || !draft || Math.abs(x(drag.now) - x(drag.start)) < 3) return;
    change(drag.grip.startsWith('baseline') ? { baseline: draft } : { focus: draft });
  };

  const counted = volume.data?.window;
  const ribbon = useMemo(() => {
    if (!volume.data || !counted || volume.data.total.length === 0) return undefined;
    const from = Date.parse(counted.from);
    const step = (Date.parse(counted.to) - from) / volume.data.total.length;
    return drawRibbon(
      volume.data.total,
      volume.data.errors,
      (index) => scale(from + index * step),
      LINE,
      VOLUME_HEIGHT,
      ERROR_DEPTH,
    );
  }, [volume.data, counted, scale]);

  return (
    <section className={classes.timeband} aria-label="Timeband">
      <div className={classes.words}>
        <WindowText kind="focus" span={focus} held={held} onChange={(span) => change({ focus: span })} />
        <span className={classes.against}>against</span>
        <WindowText
          kind="baseline"
          span={baseline}
          held={held}
          onChange={(span) => change({ baseline: span })}
        />
        <Menu position="bottom-start" withinPortal>
          <Menu.Target>
            <button
              type="button"
              className={classes.choice}
              aria-label={`Baseline: ${BASELINE_WORDS[state.choice]}`}
              disabled={!focus}
            >
              {state.choice === 'free' ? <IconLockOpen size={14} /> : <IconLock size={14} />}
              {BASELINE_WORDS[state.choice]}
              <IconChevronDown size={12} />
            </button>
          </Menu.Target>
          <Menu.Dropdown>
            {BASELINE_CHOICES.filter((choice) => choice !== 'free').map((choice) => (
              <Menu.Item key={choice} onClick={() => change({ choice })}>
                {BASELINE_WORDS[choice]}, tied to the focus
              </Menu.Item>
            ))}
            <Menu.Item disabled={!baseline} onClick={() => baseline && change({ baseline })}>
              let it lie where it is
            </Menu.Item>
          </Menu.Dropdown>
        </Menu>
        <FocusMenu until={until} focus={focus} onChange={(span) => change({ focus: span })} />
        <span className={classes.legend}>
          <i className={classes.volumeKey} /> records
          <Tooltip label="Records at level error and above, as a share of all">
            <span>
              <i className={classes.errorKey} /> {ribbon?.worst === 0 ? 'no errors' : 'errors'}
              {ribbon !== undefined && ribbon.worst > 0 && `, up to ${percent(ribbon.worst)}`}
            </span>
          </Tooltip>
          {shown && (
            <button
              type="button"
              className="word"
              onClick={() => {
                setZoom(null);
                saveZoom(null);
              }}
            >
              show all
            </button>
          )}
        </span>
      </div>
      <div ref={ref} className={classes.ribbon}>
        <svg
          ref={surface}
          width={width}
          height={RIBBON_HEIGHT}
          role="group"
          aria-label="Records over time, with focus and baseline. Drag to set the focus; roll the wheel to zoom."
          onPointerDown={begin}
          onPointerMove={(event) => drag && setDrag({ ...drag, now: momentAt(event) })}
          onPointerUp={end}
          onPointerCancel={() => setDrag(undefined)}
          onDoubleClick={() => {
            setZoom(null);
            saveZoom(null);
          }}
          data-testid="timeband"
          data-from={band?.from}
          data-to={band?.to}
        >
          <defs>
            <pattern
              id="hatch"
              width="5"
              height="5"
              patternUnits="userSpaceOnUse"
              patternTransform="rotate(45)"
            >
              <line x1="0" y1="0" x2="0" y2="5" className={classes.hatch} />
            </pattern>
          </defs>
          {ribbon && <path d={ribbon.volume} className={classes.volume} />}
          {ribbon && <path d={ribbon.errors} className={classes.errors} />}
          <line x1={0} x2={width} y1={LINE} y2={LINE} className={classes.line} />
          {ticks.map(({ at, text }) => (
            <g key={at} transform={`translate(${at},0)`}>
              <line y1={LINE} y2={RIBBON_HEIGHT - 12} className={classes.tick} />
              <text y={RIBBON_HEIGHT - 2} {...besideTick(at, width)} className={classes.tickText}>
                {text}
              </text>
            </g>
          ))}
          {changes && <Flags changes={changes} scale={scale} onChoose={choose} />}
          {baseline && <Bracket from={x(baseline.from)} to={x(baseline.to)} kind="baseline" />}
          {focus && <Bracket from={x(focus.from)} to={x(focus.to)} kind="focus" />}
        </svg>
      </div>
    </section>
  );
}

function Bracket({ from, to, kind }: { from: number; to: number; kind: 'focus' | 'baseline' }) {
  const right = Math.max(to, from + 2);
  const top = 1;
  const bottom = LINE + ERROR_DEPTH + 1;
  const lip = Math.min(6, (right - from) / 2);
  return (
    <g className={kind === 'focus' ? classes.focus : classes.baseline} data-testid={`${kind}-bracket`}>
      <rect x={from} y={top} width={right - from} height={bottom - top} className={classes.wash} />
      {kind === 'baseline' && (
        <rect x={from} y={top} width={right - from} height={bottom - top} fill="url(#hatch)" />
      )}
      <path
        d={`M${from + lip},${top}H${from}V${bottom}H${from + lip}M${right - lip},${top}H${right}V${bottom}H${right - lip}`}
      />
    </g>
  );
}

/** What the name of a tick takes at most, in pixels. */
const TICK_TEXT = 44;

/** Where a tick's name stands: right of it, or left where it would be cut off. */
const besideTick = (at: number, width: number): { x: number; textAnchor: 'start' | 'end' } =>
  at + TICK_TEXT > width ? { x: -2, textAnchor: 'end' } : { x: 2, textAnchor: 'start' };

const DAY = 86_400_000;

/** Names a tick by what changes between ticks: days, hours or seconds. */
function tickText(tick: Date, band: Span): string {
  const length = band.to - band.from;
  const own = dayjs(tick);
  if (own.isSame(own.startOf('day'))) return own.format('ddd D');
  if (length > 6 * DAY) return own.format('ddd HH:mm');
  return own.format(length < 600_000 ? 'HH:mm:ss' : 'HH:mm');
}

import { ActionIcon, Modal, Tooltip, useComputedColorScheme, useMantineColorScheme } from '@mantine/core';
import { useHotkeys } from '@mantine/hooks';
import { IconFileImport, IconKeyboard, IconMessageQuestion, IconMoon, IconSun } from '@tabler/icons-react';
import { lazy, Suspense, useEffect, useState } from 'react';
import { useIsFetching } from '@tanstack/react-query';
import { NavLink, Outlet, useLocation, useNavigate, useSearchParams } from 'react-router';
import { useHeld } from '../api/queries.js';
import {
  BASELINE_CHOICES,
  carriedParameters,
  latestParameters,
  LIVE,
  useViewState,
} from '../context/view-state.js';
import { DatasetMenu } from '../datasets/DatasetMenu.js';
import { BringIn } from '../intake/BringIn.js';
import { PinTray } from '../pins/PinTray.js';
import { ScopeLine } from '../scope/ScopeLine.js';
import { Guarded } from '../states/Guarded.js';
import { Timeband } from '../timeband/Timeband.js';
import { heldText } from './held.js';
import { useKeys } from './keys.js';
import { AskPanel, fetchViews, GoAnywhere } from './lazy-views.js';
import { OpenWarning } from './OpenWarning.js';
import { Start } from './Start.js';
import { VIEW_GROUPS, VIEWS } from './views.js';
import classes from './frame.module.css';

const ReplayBar = lazy(() => import('../datasets/ReplayBar.js'));

const KEYS: [keys: string, meaning: string][] = [
  ['/', 'write in the scope line; Escape leaves it'],
  ['1 … 9', 'go to a view; Alt with arrows goes along the rail'],
  ['[ ]', 'shift the focus by half its length'],
  ['{ }', 'halve or double the focus'],
  ['b', 'next choice of baseline'],
  ['j k', 'next, previous row'],
  ['Enter', 'open the row'],
  ['i x', 'only this pattern, without this pattern'],
  ['o', 'look at a pattern closely'],
  ['s m', 'choose a pattern, mute it'],
  ['a', 'the records around a line'],
  ['p', 'pin the line or the pattern'],
  ['f Space', 'follow what comes in; pause and go on'],
  ['Ctrl K', 'go anywhere by name, or ask a question'],
  ['q', 'ask in plain words'],
  ['?', 'these keys'],
];

/** So long nothing is asked before what the first view did not need is fetched. */
const IDLE_MS = 700;

/** What stays in place on every view: timeband, scope line, rail. */
export function Frame() {
  const [state, change] = useViewState();
  const [parameters] = useSearchParams();
  const navigate = useNavigate();
  const location = useLocation();
  const held = useHeld();
  const [help, setHelp] = useState(false);
  const [bringing, setBringing] = useState(false);
  const [asking, setAsking] = useState<{ question: string }>();
  const [asked, setAsked] = useState(false);
  /** Once the first view had its time, what it did not need is fetched. */
  const [settled, setSettled] = useState(false);
  /** Where to go was asked for before that. */
  const [going, setGoing] = useState(false);
  const askInWords = (question: string): void => {
    setAsking({ question });
    setAsked(true);
  };
  const addressOf = (path: string): string =>
    `${path}?${carriedParameters(latestParameters(parameters)).toString()}`;
  const go = (index: number): void => {
    const view = VIEWS[index];
    if (view) void navigate(addressOf(view.path));
  };
  const here = VIEWS.findIndex(({ path }) => location.pathname.startsWith(path));

  const answering = useIsFetching();
  useEffect(() => {
    if (settled || answering > 0) return;
    const idle = setTimeout(() => {
      setSettled(true);
      fetchViews();
    }, IDLE_MS);
    return () => clearTimeout(idle);
  }, [settled, answering]);

  const { focus } = state;
  const length = focus ? focus.to - focus.from : 0;
  const shift = (by: number): void => {
    if (focus) change({ focus: { from: focus.from + by, to: focus.to + by } });
  };
  const stretch = (factor: number): void => {
    if (focus) change({ focus: { from: focus.to - length * factor, to: focus.to } });
  };
  useKeys({
    '/': () => document.querySelector<HTMLElement>('[data-testid="scope"]')?.focus(),
    '?': () => setHelp(true),
    q: () => askInWords(''),
    '[': () => shift(-length / 2),
    ']': () => shift(length / 2),
    '{': () => stretch(0.5),
    '}': () => stretch(2),
    b: () => {
      const choices = BASELINE_CHOICES.filter((choice) => choice !== 'free');
      change({ choice: choices[(choices.indexOf(state.choice as 'before') + 1) % choices.length]! });
    },
    'Alt+ArrowDown': () => go(here + 1),
    'Alt+ArrowUp': () => go(here - 1),
    ...Object.fromEntries(VIEWS.map((_, index) => [String(index + 1), () => go(index)])),
  });

  useHotkeys(settled || going ? [] : [['mod+K', () => setGoing(true)]], [], true);

  const carriedFrom = (location.state ?? {}) as { carried?: string; back?: string };
  const empty = held.data !== undefined && !held.data.span;

  return (
    <BringIn opened={bringing} onOpen={() => setBringing(true)} onClose={() => setBringing(false)}>
      <div className={classes.frame}>
        <nav className={classes.rail} aria-label="Views">
          <div className={classes.brand}>
            <img src="/flail.svg" alt="" width={20} height={20} /> Flail
          </div>
          <DatasetMenu onOpenBundle={() => setBringing(true)} />
          {VIEW_GROUPS.map(({ question, views }) => (
            <div key={question}>
              <p className={classes.question}>{question}</p>
              {views.map(({ path, name, icon: Icon }) => (
                <NavLink
                  key={path}
                  to={addressOf(path)}
                  className={classes.view}
                  onClick={(event) => {
                    // The address as it is now, which may not be drawn yet.
                    if (event.ctrlKey || event.metaKey || event.shiftKey) return;
                    event.preventDefault();
                    void navigate(addressOf(path));
                  }}
                >
                  <Icon size={16} /> {name}
                  <kbd className={classes.key} aria-hidden>
                    {VIEWS.findIndex((view) => view.path === path) + 1}
                  </kbd>
                </NavLink>
              ))}
            </div>
          ))}
          <div className={classes.foot}>
            <button type="button" className={classes.bring} onClick={() => askInWords('')}>
              <IconMessageQuestion size={16} /> Ask in words
              <kbd className={classes.key} aria-hidden>
                q
              </kbd>
            </button>
            <button type="button" className={classes.bring} onClick={() => setBringing(true)}>
              <IconFileImport size={16} /> Bring in files
            </button>
            <p className={classes.held}>{heldText(held.data?.dataset)}</p>
            <div className={classes.tools}>
              <SchemeSwitch />
              <Tooltip label="Keys">
                <ActionIcon
                  variant="subtle"
                  color="gray"
                  size="sm"
                  aria-label="Keys"
                  onClick={() => setHelp(true)}
                >
                  <IconKeyboard size={16} />
                </ActionIcon>
              </Tooltip>
            </div>
          </div>
        </nav>
        <div className={classes.body}>
          <OpenWarning />
          <Timeband />
          {state.dataset !== LIVE && (
            <Suspense fallback={null}>
              <ReplayBar />
            </Suspense>
          )}
          <ScopeLine />
          {carriedFrom.carried !== undefined && (
            <p className={classes.carried} data-testid="carried">
              Carried along: {carriedFrom.carried}
              {carriedFrom.back !== undefined && (
                <button type="button" className="word" onClick={() => void navigate(carriedFrom.back!)}>
                  back
                </button>
              )}
            </p>
          )}
          <Start onBringIn={() => setBringing(true)} />
          <main className={classes.main}>
            <Guarded>
              <Suspense fallback={null}>{!empty && <Outlet />}</Suspense>
            </Guarded>
          </main>
        </div>
        <PinTray />
      </div>
      <Suspense fallback={null}>
        {(settled || going) && <GoAnywhere opened={going} onAsk={askInWords} />}
      </Suspense>
      <Suspense fallback={null}>
        {asked && (
          <AskPanel
            opened={asking !== undefined}
            question={asking?.question ?? ''}
            onClose={() => setAsking(undefined)}
          />
        )}
      </Suspense>
      <Modal opened={help} onClose={() => setHelp(false)} title="Keys">
        <dl className={classes.keys}>
          {KEYS.map(([keys, meaning]) => (
            <div key={keys}>
              <dt>
                <kbd className={classes.key}>{keys}</kbd>
              </dt>
              <dd>{meaning}</dd>
            </div>
          ))}
        </dl>
      </Modal>
    </BringIn>
  );
}

function SchemeSwitch() {
  const { setColorScheme } = useMantineColorScheme();
  const scheme = useComputedColorScheme('light');
  const other = scheme === 'light' ? 'dark' : 'light';
  return (
    <Tooltip label={`Turn ${other}`}>
      <ActionIcon
        variant="subtle"
        color="gray"
        size="sm"
        aria-label={`Turn ${other}`}
        onClick={() => setColorScheme(other)}
      >
        {scheme === 'light' ? <IconMoon size={16} /> : <IconSun size={16} />}
      </ActionIcon>
    </Tooltip>
  );
}

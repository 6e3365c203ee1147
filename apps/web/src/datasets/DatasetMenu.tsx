import type { DatasetSummary } from '@flail/contract';
import { Menu } from '@mantine/core';
import { IconChevronDown } from '@tabler/icons-react';
import { lazy, Suspense, useState } from 'react';
import { useLocation, useNavigate } from 'react-router';
import { useDatasets, useHeld } from '../api/queries.js';
import { datasetParameters, LIVE, useViewState } from '../context/view-state.js';
import { shortCount } from '../format/numbers.js';
import { windowText } from '../format/times.js';
import classes from './datasets.module.css';

const SaveBundle = lazy(() => import('./SaveBundle.js'));
const RenameDataset = lazy(() => import('./RenameDataset.js'));
const ForgetDataset = lazy(() => import('./ForgetDataset.js'));

type Dialog = 'save' | 'rename' | 'forget';

/** Which data set is looked at, the others there are, and what can be done with it. */
export function DatasetMenu({ onOpenBundle }: { onOpenBundle: () => void }) {
  const [{ dataset }] = useViewState();
  const all = useDatasets().data ?? [];
  const here = useHeld().data?.dataset;
  const { pathname } = useLocation();
  const navigate = useNavigate();
  const [dialog, setDialog] = useState<Dialog>();
  const close = (): void => setDialog(undefined);
  // Windows of one data set mean nothing in another.
  const go = (id: string, view = ''): void =>
    void navigate(`${pathname}?${id === LIVE ? '' : datasetParameters(id, view)}`);
  return (
    <>
      <Menu position="bottom-start" withinPortal width={320}>
        <Menu.Target>
          <button type="button" className={classes.current} aria-label={`Data set: ${nameOf(here, dataset)}`}>
            <span className={classes.name}>{nameOf(here, dataset)}</span>
            <IconChevronDown size={12} />
          </button>
        </Menu.Target>
        <Menu.Dropdown>
          {all.map((one) => (
            <Menu.Item
              key={one.id}
              data-testid="dataset"
              aria-current={one.id === dataset}
              className={classes.item}
              onClick={() => go(one.id, one.view)}
            >
              <b>{nameOf(one, one.id)}</b>
              <span className={classes.about}>{aboutOf(one)}</span>
            </Menu.Item>
          ))}
          <Menu.Divider />
          <Menu.Item onClick={onOpenBundle}>open a bundle</Menu.Item>
          <Menu.Item disabled={!here?.window} onClick={() => setDialog('save')}>
            save as a bundle
          </Menu.Item>
          {here && !here.live && <Menu.Item onClick={() => setDialog('rename')}>rename</Menu.Item>}
          {here && !here.live && (
            <Menu.Item disabled={!here.ready} onClick={() => setDialog('forget')}>
              let go of it
            </Menu.Item>
          )}
        </Menu.Dropdown>
      </Menu>
      <Suspense fallback={null}>
        {here && dialog === 'save' && <SaveBundle dataset={here} onClose={close} />}
        {here && dialog === 'rename' && <RenameDataset dataset={here} onClose={close} />}
        {here && dialog === 'forget' && (
          <ForgetDataset
            dataset={here}
            onClose={close}
            onForgotten={() => {
              // Whatever is shown next must not be let go of too.
              close();
              go(LIVE);
            }}
          />
        )}
      </Suspense>
    </>
  );
}

/** The live data set is called so whatever its name. */
const nameOf = (one: DatasetSummary | undefined, id: string): string =>
  id === LIVE ? 'Live' : (one?.name ?? 'no such data set');

function aboutOf({ records, window, ready }: DatasetSummary): string {
  const count = `${shortCount(records)} records`;
  if (!ready) return `${count} so far; being opened`;
  return window
    ? `${count}, ${windowText(Date.parse(window.from), Date.parse(window.to))}`
    : 'nothing held yet';
}

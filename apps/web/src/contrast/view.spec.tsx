import type { ContrastAnswer, DifferenceBody } from '@flail/contract';
import { fireEvent, screen, within } from '@testing-library/react';
import { answerWith } from '../testing/answers.js';
import { contrastAnswer, signature, term } from '../testing/contrast.js';
import { renderAt } from '../testing/render.js';
import { ContrastView } from './ContrastView.js';

const ADDRESS = '/contrast?focus=2026-03-02T18:00:00Z~2026-03-02T18:40:00Z';
const told = {
  ...signature,
  expression: 'port = a',
  firstSeen: '2026-03-02T18:02:00Z',
  lastSeen: '2026-03-02T18:39:00Z',
  samples: ['1111aaaa2222', '3333bbbb4444'],
  counterHealthy: ['5555cccc6666'],
  counterFailing: ['7777dddd8888'],
  frame: 'encode (pdf.ts:90)',
};
const difference: DifferenceBody = {
  term: term({}, { values: ['a'] }),
  failing: 90,
  failingAll: 100,
  healthy: 90,
  healthyAll: 900,
  apart: 0.8,
  low: 0.72,
  high: 0.86,
  p: 1e-12,
  with: [term({ name: 'quay' }, { values: ['north'] })],
};

const shown = (more: Partial<ContrastAnswer> = {}, address = ADDRESS) => {
  const asked = answerWith({
    cohorts: [],
    cases: [{ id: 4, name: 'night', status: 'open' }],
    'cases/4/pins': [],
    'POST cases/4/pins': {},
    contrast: contrastAnswer({ signatures: [told], differences: [difference], ...more }),
  });
  renderAt(address, <ContrastView />);
  return asked;
};

describe('the view of Contrast', () => {
  it('asks what sets what went wrong apart, and says it with its measures', async () => {
    const asked = shown();
    const found = await screen.findByTestId('signature');
    expect(found).toHaveTextContent(/^1\. port is a/);
    expect(found).toHaveTextContent(/coverage.*90%.*purity.*90%/);
    expect(
      within(found).getByTitle(/coverage 90\.0%, with 95% between 82\.0% and 94\.0%/),
    ).toBeInTheDocument();
    expect(found).toHaveTextContent('encode (pdf.ts:90)');
    expect(asked.find(({ path }) => path.startsWith('contrast'))!.body).toMatchObject({
      window: { from: '2026-03-02T18:00:00.000Z', to: '2026-03-02T18:40:00.000Z' },
    });
  });

  it('shows both shares of each difference, and what always goes with it', async () => {
    shown();
    const row = await screen.findByTestId('difference');
    expect(row).toHaveTextContent(/port is a.*90% against 10%/);
    expect(within(row).getByText('always with 1 other')).toBeInTheDocument();
    expect(row).toHaveTextContent('quay is north');
  });

  it('leads to samples, to what speaks against it, and to its lines', async () => {
    shown();
    const address = screen.getByTestId('address');
    const found = await screen.findByTestId('signature');
    expect(found).toHaveTextContent('it also fits, though well:5555cccc');
    expect(found).toHaveTextContent('it does not fit, though wrong:7777dddd');
    fireEvent.click(within(found).getByRole('button', { name: '5555cccc' }));
    expect(address).toHaveTextContent(/^\/requests\?.*scope=port\+=\+a.*request=5555cccc6666/);
    const again = await screen.findByTestId('signature');
    fireEvent.click(within(again).getByRole('button', { name: 'its lines' }));
    expect(address).toHaveTextContent(/^\/logs\?focus=2026-03-02T18:00.*scope=port\+=\+a$/);
  });

  it('says what no filter can say', async () => {
    shown({ signatures: [{ ...signature, unsaid: 1, firstSeen: told.firstSeen, lastSeen: told.lastSeen }] });
    expect(await screen.findByTestId('signature')).toHaveTextContent(
      'No filter can say it: it is what no single record has.',
    );
  });

  it('names lines that were new before, with what they share, and goes to one', async () => {
    shown({
      onset: '2026-03-02T18:02:00Z',
      early: [
        {
          pattern: 'k7',
          sentence: [{ text: 'bed closed at ' }, { slot: 'a', type: 'word' }] as never,
          service: 'chart',
          time: '2026-03-02T17:50:00Z',
          text: 'bed closed at a',
          shared: [{ value: 'a', of: 'port' }],
        },
      ],
    });
    const early = await screen.findByTestId('early');
    expect(screen.getByText(/1 of them names what the first cohort has in common/)).toBeInTheDocument();
    expect(early).toHaveTextContent(/chart.*bed closed at.*names port a/);
    fireEvent.click(within(early).getByRole('button'));
    expect(screen.getByTestId('address')).toHaveTextContent(
      /^\/logs\?focus=2026-03-02T17:40:00\.000Z~2026-03-02T18:00:00\.000Z.*scope=pattern\+k7/,
    );
  });

  it('says what was set aside, and what is not recorded', async () => {
    shown(
      {
        setAside: [{ feature: term({ name: 'trace' }, {}).feature, why: 'an identifier' }],
        lacking: ['No payloads are recorded.'],
      },
      `${ADDRESS}&side=aside`,
    );
    expect(await screen.findByText('an identifier')).toBeInTheDocument();
    expect(screen.getByText('No payloads are recorded.')).toBeInTheDocument();
  });

  it('claims nothing where nothing differs', async () => {
    shown({ signatures: [], differences: [] });
    expect(
      await screen.findByText('Nothing differs between the two more than chance may bring about.'),
    ).toBeInTheDocument();
    expect(screen.queryByTestId('signature')).toBeNull();
  });

  it('looks at runs over the day up to the end of the focus', async () => {
    const asked = shown({ items: 'runs' }, `${ADDRESS}&items=runs`);
    await screen.findByTestId('finding');
    expect(asked.find(({ path }) => path.startsWith('contrast'))!.body).toMatchObject({
      items: 'runs',
      window: { from: '2026-03-01T18:40:00.000Z', to: '2026-03-02T18:40:00.000Z' },
    });
  });

  it('says how to begin', () => {
    shown({}, '/contrast');
    expect(screen.getByText(/Draw the bad time on the timeband/)).toBeInTheDocument();
  });
});

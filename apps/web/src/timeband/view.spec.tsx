import { fireEvent, screen, waitFor } from '@testing-library/react';
import { answerWith } from '../testing/answers.js';
import { layOut } from '../testing/layout.js';
import { renderAt } from '../testing/render.js';
import { Timeband } from './Timeband.js';

const held = { from: '2026-03-02T00:00:00Z', to: '2026-03-02T10:00:00Z' };

/** A width at which a pixel is 36 seconds. */
const WIDTH = 1000;

describe('the timeband', () => {
  let takeBack: () => void;
  beforeEach(() => (takeBack = layOut(WIDTH, 68)));
  afterEach(() => takeBack());

  const shown = async (address: string) => {
    const asked = answerWith({
      datasets: [{ id: 'live', name: 'Live', live: true, ready: true, records: 9, spans: 0, window: held }],
      volume: { window: held, total: [4, 8, 2, 6], errors: [0, 0, 1, 3] },
      'changes/search': { changes: [], total: 0, actions: [] },
    });
    renderAt(address, <Timeband />);
    await waitFor(() => {
      const band = screen.getByTestId('timeband');
      expect(band).toHaveAttribute('data-from');
      // As wide as it will be: moments are told by pixels.
      expect(band).toHaveAttribute('width', String(WIDTH));
    });
    return asked;
  };
  const address = (): string => screen.getByTestId('address').textContent;
  const drag = (from: number, to: number): void => {
    const band = screen.getByTestId('timeband');
    band.setPointerCapture = () => undefined;
    fireEvent.pointerDown(band, { button: 0, clientX: from, pointerId: 1 });
    fireEvent.pointerMove(band, { clientX: to, pointerId: 1 });
    fireEvent.pointerUp(band, { pointerId: 1 });
  };

  it('sets the focus where one drags, with the baseline just before it', async () => {
    await shown('/logs');
    drag(500, 600);
    await waitFor(() =>
      expect(address()).toContain('focus=2026-03-02T05:00:00.000Z~2026-03-02T06:00:00.000Z'),
    );
    const left = (id: string) => screen.getByTestId(id).querySelector('rect')!.getAttribute('x');
    expect(Number(left('focus-bracket'))).toBeCloseTo(500, 0);
    expect(Number(left('baseline-bracket'))).toBeCloseTo(400, 0);
  });

  it('moves the focus by its middle and sets its end by its edge', async () => {
    await shown('/logs?focus=2026-03-02T05:00:00.000Z~2026-03-02T06:00:00.000Z');
    drag(550, 650);
    await waitFor(() =>
      expect(address()).toContain('focus=2026-03-02T06:00:00.000Z~2026-03-02T07:00:00.000Z'),
    );
    drag(700, 800);
    await waitFor(() =>
      expect(address()).toContain('focus=2026-03-02T06:00:00.000Z~2026-03-02T08:00:00.000Z'),
    );
  });

  it('takes a click for no focus', async () => {
    await shown('/logs');
    drag(500, 501);
    expect(address()).toBe('/logs');
  });

  it.each([
    [/day before/, /Baseline: a day before/, '/logs?focus=2026-03-02T05:00:00.000Z~2026-03-02T06:00:00.000Z'],
    [/lie where it is/, /Baseline: own choice/, 'baseline=2026-03-02T04:00:00.000Z~2026-03-02T05:00:00.000Z'],
  ])('ties the baseline to the focus, or lets it lie (%s)', async (item, name, told) => {
    await shown('/logs?focus=2026-03-02T05:00:00.000Z~2026-03-02T06:00:00.000Z');
    fireEvent.click(screen.getByRole('button', { name: 'Baseline: just before' }));
    fireEvent.click(await screen.findByRole('menuitem', { name: item }));
    expect(await screen.findByRole('button', { name })).toBeTruthy();
    expect(address()).toContain(told);
  });

  it('zooms by the wheel around the pointer, counts the part that is shown, and shows all again', async () => {
    const asked = await shown('/logs');
    fireEvent.wheel(screen.getByTestId('timeband'), { deltaY: -100, clientX: 500 });
    const length = (): number => {
      const band = screen.getByTestId('timeband');
      return Number(band.dataset.to) - Number(band.dataset.from);
    };
    await waitFor(() => expect(length() / 3_600_000).toBeCloseTo(10 / 1.35, 2));
    await waitFor(() => expect(address()).toContain('band='));
    const counted = asked.filter(({ path }) => path.startsWith('volume')).at(-1)!.path;
    const from = new URLSearchParams(counted.split('?')[1]).get('from')!;
    expect(Date.parse(from)).toBeGreaterThan(Date.parse(held.from));
    fireEvent.click(screen.getByRole('button', { name: 'show all' }));
    await waitFor(() => expect(length()).toBe(10 * 3_600_000));
    await waitFor(() => expect(address()).not.toContain('band='));
  });

  it('says how large the share of errors is at most', async () => {
    await shown('/logs');
    expect(await screen.findByText(/errors, up to 50%/)).toBeTruthy();
  });
});

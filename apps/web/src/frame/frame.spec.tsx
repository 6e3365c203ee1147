import { fireEvent, screen } from '@testing-library/react';
import { useState } from 'react';
import { renderAt } from '../testing/render.js';
import { heldText } from './held.js';
import { useKeys, useRowKeys } from './keys.js';
import { excessSentence } from './Start.js';

function Probe({ said }: { said: string[] }) {
  const [selected, select] = useState(-1);
  useKeys({ b: () => said.push('b'), ' ': () => said.push('space'), 'Alt+ArrowUp': () => said.push('up') });
  useRowKeys(3, selected, select, { Enter: (index) => said.push(`open ${index}`) });
  return (
    <>
      <input aria-label="text" />
      <input aria-label="newest first" type="radio" />
      <output data-testid="row">{selected}</output>
    </>
  );
}

describe('keys', () => {
  it('act anywhere but where one types, and not with Control', () => {
    const said: string[] = [];
    renderAt('/', <Probe said={said} />);
    fireEvent.keyDown(window, { key: 'b' });
    fireEvent.keyDown(screen.getByLabelText('text'), { key: 'b' });
    fireEvent.keyDown(window, { key: 'b', ctrlKey: true });
    fireEvent.keyDown(window, { key: 'ArrowUp', altKey: true });
    expect(said).toEqual(['b', 'up']);
  });

  it('act where something was chosen by a click, but for the space bar', () => {
    const said: string[] = [];
    renderAt('/', <Probe said={said} />);
    fireEvent.keyDown(screen.getByLabelText('newest first'), { key: 'b' });
    fireEvent.keyDown(screen.getByLabelText('newest first'), { key: ' ' });
    fireEvent.keyDown(window, { key: ' ' });
    expect(said).toEqual(['b', 'space']);
  });

  it('go through rows without leaving them, and act on the row they stand on', () => {
    const said: string[] = [];
    renderAt('/', <Probe said={said} />);
    fireEvent.keyDown(window, { key: 'Enter' });
    for (const key of ['j', 'j', 'j', 'j', 'j']) fireEvent.keyDown(window, { key });
    expect(screen.getByTestId('row')).toHaveTextContent('2');
    fireEvent.keyDown(window, { key: 'Enter' });
    for (const key of ['k', 'k', 'k', 'k']) fireEvent.keyDown(window, { key });
    expect(screen.getByTestId('row')).toHaveTextContent('0');
    expect(said).toEqual(['open 2']);
  });
});

describe('the sentence of the first page', () => {
  const period = {
    window: { from: '2026-03-02T18:02:00Z', to: '2026-03-02T18:42:00Z' },
    errors: 31,
    total: 1000,
    usual: 0.004,
  };

  it('says whether it goes on, and how much against what', () => {
    expect(excessSentence({ ...period, goesOn: true })).toMatch(
      /^Since Mon 2 Mar \d\d:02, 3\.1% of records are errors, against 0\.4% at other times\. It goes on\.$/,
    );
    expect(excessSentence({ ...period, goesOn: false })).toMatch(
      /^From Mon 2 Mar \d\d:02, for 40 min, 3\.1% of records were errors/,
    );
  });
});

describe('what is held', () => {
  const dataset = { id: 'live', name: 'Live', live: true, view: '', ready: true, records: 0, spans: 0 };

  it('is told in lines, or in spans where there are only those', () => {
    expect(heldText(undefined)).toBe('');
    expect(heldText(dataset)).toBe('0 records held');
    expect(heldText({ ...dataset, records: 1_200_000, spans: 5 })).toBe('1.2M records held');
    expect(heldText({ ...dataset, spans: 800 })).toBe('800 spans held');
  });
});

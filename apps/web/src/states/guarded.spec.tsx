import { fireEvent, screen } from '@testing-library/react';
import { Link } from 'react-router';
import { renderAt } from '../testing/render.js';
import { Guarded } from './Guarded.js';

describe('a view that can not be drawn', () => {
  let broken = true;
  const { error } = console;
  const told: unknown[] = [];
  beforeAll(() => {
    // React tells of it as well.
    console.error = (...what) => told.push(...what);
  });
  afterAll(() => {
    console.error = error;
  });
  const View = () => {
    if (broken) throw new Error('no such gull');
    return <p>all gulls</p>;
  };

  const shown = () =>
    renderAt(
      '/runs',
      <>
        <Link to="/logs">Logs</Link>
        <Guarded>
          <View />
        </Guarded>
      </>,
    );

  it('says so in its place, can be tried again, and leaves the rest as it is', () => {
    shown();
    expect(screen.getByRole('alert')).toHaveTextContent('no such gull');
    expect(screen.getByRole('button', { name: 'copy the details' })).toBeTruthy();
    broken = false;
    fireEvent.click(screen.getByRole('button', { name: 'try again' }));
    expect(screen.getByText('all gulls')).toBeTruthy();
    expect(told.length).toBeGreaterThan(0);
  });

  it('is left by going to another', () => {
    broken = true;
    shown();
    broken = false;
    fireEvent.click(screen.getByText('Logs'));
    expect(screen.queryByRole('alert')).toBeNull();
  });
});

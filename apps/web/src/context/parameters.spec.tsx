import { fireEvent, screen } from '@testing-library/react';
import { renderAt } from '../testing/render.js';
import { useViewParameter, useViewState } from './view-state.js';

function Part() {
  const [job, setJob] = useViewParameter('job', '');
  const [value, setValue] = useViewParameter('value', '');
  const [, change] = useViewState();
  const set = (one: string, other: string): void => {
    setJob(one);
    setValue(other);
  };
  return (
    <>
      <p data-testid="told">{`${job}, ${value}`}</p>
      <button onClick={() => set('export', 'tarn')}>both</button>
      <button onClick={() => set('', '')}>neither</button>
      <button
        onClick={() => {
          change({ scope: 'level = error' });
          setValue('holm');
        }}
      >
        scope and value
      </button>
    </>
  );
}

describe('parameters of the address', () => {
  it('all change where several are set in one go', () => {
    renderAt('/runs?focus=a~b', <Part />);
    const address = screen.getByTestId('address');
    fireEvent.click(screen.getByText('both'));
    expect(screen.getByTestId('told')).toHaveTextContent('export, tarn');
    expect(address).toHaveTextContent('/runs?focus=a~b&job=export&value=tarn');
    fireEvent.click(screen.getByText('neither'));
    expect(address.textContent).toBe('/runs?focus=a~b');
    fireEvent.click(screen.getByText('both'));
    fireEvent.click(screen.getByText('scope and value'));
    expect(new URLSearchParams(address.textContent.split('?')[1]).get('scope')).toBe('level = error');
    expect(screen.getByTestId('told')).toHaveTextContent('export, holm');
  });
});

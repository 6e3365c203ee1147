import { fireEvent, render, screen, within } from '@testing-library/react';
import { useState } from 'react';
import { Choice } from './Choice.js';

const Orders = ({ name }: { name: string }) => {
  const [order, setOrder] = useState('newest');
  return (
    <Choice
      aria-label={name}
      data={[
        'newest',
        { value: 'oldest', label: 'oldest first' },
        { value: 'none', label: 'none', disabled: true },
      ]}
      value={order}
      onChange={setOrder}
    />
  );
};
const chosen = (group: string): string[] =>
  within(screen.getByRole('radiogroup', { name: group }))
    .getAllByRole<HTMLInputElement>('radio')
    .filter(({ checked }) => checked)
    .map(({ value }) => value);

describe('one of a few', () => {
  it('is named, and chosen by a click on its words', () => {
    render(<Orders name="Order" />);
    expect(screen.getAllByRole('radio')).toHaveLength(3);
    expect(chosen('Order')).toEqual(['newest']);
    fireEvent.click(screen.getByText('oldest first'));
    expect(chosen('Order')).toEqual(['oldest']);
    expect(screen.getByRole('radio', { name: 'oldest first' })).toBeChecked();
  });

  it('is not chosen where it can not be', () => {
    render(<Orders name="Order" />);
    fireEvent.click(screen.getByText('none'));
    expect(chosen('Order')).toEqual(['newest']);
  });

  it('leaves others of the page as they are', () => {
    render(
      <>
        <Orders name="Lines" />
        <Orders name="Requests" />
      </>,
    );
    fireEvent.click(within(screen.getByRole('radiogroup', { name: 'Lines' })).getByText('oldest first'));
    expect(chosen('Lines')).toEqual(['oldest']);
    expect(chosen('Requests')).toEqual(['newest']);
  });
});

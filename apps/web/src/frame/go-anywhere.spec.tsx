import '@testing-library/jest-dom';
import { spotlight } from '@mantine/spotlight';
import { act, fireEvent, screen } from '@testing-library/react';
import { answerWith } from '../testing/answers.js';
import { renderAt } from '../testing/render.js';
import { GoAnywhere } from './GoAnywhere.js';

describe('going anywhere by name', () => {
  afterEach(() => act(() => spotlight.close()));

  const shown = (opened: boolean): string[] => {
    answerWith({ datasets: [], cases: [] });
    const questions: string[] = [];
    renderAt(
      '/health?scope=refused',
      <>
        <div contentEditable data-testid="scope" />
        <GoAnywhere opened={opened} onAsk={(question) => questions.push(question)} />
      </>,
    );
    return questions;
  };

  it('is open at once where it was asked for before it came, and goes on with what is looked at', async () => {
    shown(true);
    fireEvent.change(await screen.findByRole('textbox', { name: 'Go to' }), { target: { value: 'onse' } });
    fireEvent.click(await screen.findByRole('button', { name: /^Onse ?ts/ }));
    expect(screen.getByTestId('address')).toHaveTextContent('/onsets?scope=refused');
  });

  it('opens by its keys, also while one writes, and asks what is a question', async () => {
    const questions = shown(false);
    expect(screen.queryByRole('textbox', { name: 'Go to' })).toBeNull();
    fireEvent.keyDown(screen.getByTestId('scope'), { key: 'k', code: 'KeyK', ctrlKey: true });
    const box = await screen.findByRole('textbox', { name: 'Go to' });
    fireEvent.change(box, { target: { value: 'what moved first?' } });
    fireEvent.click(await screen.findByRole('button', { name: /what moved first\?/ }));
    expect(questions).toEqual(['what moved first?']);
  });
});

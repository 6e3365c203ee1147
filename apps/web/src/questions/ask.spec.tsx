import '@testing-library/jest-dom';
import type { QuestionAnswer } from '@flail/contract';
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { answerWith } from '../testing/answers.js';
import { renderAt } from '../testing/render.js';
import { AskPanel } from './AskPanel.js';
import { notReadText } from './sentences.js';

const answer: QuestionAnswer = {
  understood: {
    sentence: 'which port has the largest share of requests that fail; since yesterday',
    expression: 'site = north then count by port',
    window: { from: '2026-03-01T00:00:00Z', to: '2026-03-02T18:00:00Z' },
    carried: ['since yesterday'],
  },
  unread: ['walruses'],
  parts: [
    {
      text: 'skua is the worst port.',
      columns: ['port', 'fail'],
      rows: [
        ['skua', 1250],
        ['tern', 3],
      ],
      more: 4,
      view: 'Requests',
      address: '/requests?which=failed',
    },
  ],
  suggestions: ['what moved first?', 'when did "…" first appear?'],
};

describe('questions in plain words', () => {
  const shown = (told: QuestionAnswer, question = '') => {
    const asked = answerWith({ questions: told, datasets: [], cases: [] });
    const closed = { times: 0 };
    renderAt(
      '/health?scope=level+%3D+error',
      <AskPanel opened question={question} onClose={() => void closed.times++} />,
    );
    return { asked, closed };
  };
  const ask = (question: string): void => {
    const box = screen.getByRole('textbox', { name: 'Question' });
    fireEvent.change(box, { target: { value: question } });
    fireEvent.submit(box.closest('form')!);
  };

  it('are answered with how they were understood, a table, and what nothing was made of', async () => {
    const { asked, closed } = shown(answer);
    ask('which ports fail most?');
    const told = await screen.findByTestId('answer');
    expect(told).toHaveTextContent('Understood as: which port has the largest share of requests that fail');
    expect(told).toHaveTextContent('(from before: since yesterday)');
    expect(told).toHaveTextContent('Nothing was made of “walruses”: the answer is without it.');
    expect(
      within(told)
        .getAllByRole('row')
        .map((row) => row.textContent),
    ).toEqual(['portfail', 'skua1,250', 'tern3']);
    expect(told).toHaveTextContent('4 more.');
    // The next one carries those before it.
    ask('and by site?');
    await waitFor(() => expect(screen.getAllByTestId('answer')).toHaveLength(2));
    expect(asked.filter(({ method }) => method === 'POST').at(-1)?.body).toMatchObject({
      question: 'and by site?',
      earlier: ['which ports fail most?'],
    });
    fireEvent.click(within(screen.getAllByTestId('answer')[0]!).getByText('open in Requests'));
    expect(closed.times).toBe(1);
    expect(screen.getByTestId('address')).toHaveTextContent('/requests?which=failed');
  });

  it('are taken as focus and scope, without the steps', async () => {
    shown(answer);
    ask('which ports fail most?');
    fireEvent.click(await screen.findByRole('button', { name: 'take it as focus and scope' }));
    const address = screen.getByTestId('address');
    expect(address).toHaveTextContent('focus=2026-03-01T00:00:00.000Z~2026-03-02T18:00:00.000Z');
    expect(address).toHaveTextContent('scope=level+=+error+and+site+=+north');
  });

  it('are asked at once where the panel is opened with one, and forgotten on demand', async () => {
    const { asked } = shown(
      { unread: ['shanty'], parts: [], suggestions: answer.suggestions },
      'sing a shanty',
    );
    const told = await screen.findByTestId('answer');
    expect(told).toHaveTextContent('nothing was made of “shanty”');
    expect(asked.filter(({ method }) => method === 'POST')).toHaveLength(1);
    // One to be filled in is written, not asked.
    fireEvent.click(screen.getByRole('button', { name: 'when did "…" first appear?' }));
    expect(screen.getByRole('textbox', { name: 'Question' })).toHaveValue('when did "…" first appear?');
    fireEvent.click(screen.getByRole('button', { name: 'forget what was asked' }));
    expect(screen.queryByTestId('answer')).not.toBeInTheDocument();
  });

  it.each([
    [['a', 'b'], true, 'Nothing was made of “a”, “b”: the answer is without it.'],
    [[], false, 'This was not understood. Name what to look for, or take one of the questions below.'],
    [['a'], false, /^This was not understood; nothing was made of “a”\./],
  ])('%j %s', (unread, understood, text) => {
    expect(notReadText(unread, understood)).toMatch(text);
  });
});

import '@testing-library/jest-dom';
import type { CaseAnswer } from '@flail/contract';
import { fireEvent, screen } from '@testing-library/react';
import { answerWith } from '../testing/answers.js';
import { renderAt } from '../testing/render.js';
import SaveCase from './SaveCase.js';
import { Thumbnail } from './Thumbnail.js';

const kept = (window?: { from: string; to: string }): CaseAnswer => ({
  id: 3,
  name: 'Leases',
  at: '2026-03-02T18:10:00Z',
  pins: 0,
  status: 'open',
  owner: '',
  contents: {
    status: 'open',
    owner: '',
    notes: '',
    dataset: 'live',
    ...(window && { window }),
    scope: '',
    job: '',
    findings: [],
    hypotheses: [],
    timeline: [],
    remedies: [],
  },
  similar: [],
});
const window = { from: '2026-03-02T18:00:00Z', to: '2026-03-02T18:40:00Z' };

describe('a case that goes elsewhere', () => {
  it('is saved with the fields that are chosen redacted, but not those that it can not do without', async () => {
    answerWith({ complete: { fields: ['time', 'trace', 'client.address', 'sailing'] } });
    renderAt('/case', <SaveCase kept={kept(window)} onClose={() => undefined} />);
    const save = screen.getByTestId('save-case');
    expect(save).toHaveAttribute('href', '/api/v1/cases/3/bundle?');
    fireEvent.click(screen.getByRole('combobox', { name: 'Fields to redact' }));
    fireEvent.click(await screen.findByRole('option', { name: 'client.address', hidden: true }));
    expect(screen.queryByRole('option', { name: 'trace', hidden: true })).not.toBeInTheDocument();
    expect(save).toHaveAttribute('href', '/api/v1/cases/3/bundle?redact=client.address');
  });

  it('has to be about some time', () => {
    answerWith({});
    renderAt('/case', <SaveCase kept={kept()} onClose={() => undefined} />);
    expect(screen.getByText(/It is about no time yet/)).toBeInTheDocument();
    expect(screen.queryByTestId('save-case')).not.toBeInTheDocument();
  });
});

describe('what is pinned', () => {
  const focus = 'focus=2026-03-02T18%3A00%3A00Z~2026-03-02T18%3A40%3A00Z';
  const plot = (values: (number | null)[]) => ({
    'metrics/plot': {
      name: 'n',
      unit: '1',
      from: '2026-03-02T18:00:00Z',
      step: 60,
      lines: [{ labels: {}, members: 1, values }],
      more: 0,
      exemplars: [],
    },
  });

  it('is drawn anew, with its gaps, from what its view shows', async () => {
    const asked = answerWith(plot([0, 4, null, 2, 1]));
    renderAt('/case', <Thumbnail address={`/logs?${focus}&scope=level+%3D+error`} />);
    const drawn = await screen.findByRole('img');
    expect(drawn.querySelector('path')!.getAttribute('d')!.match(/M/g)).toHaveLength(2);
    expect(asked.at(-1)?.body).toMatchObject({
      source: { of: 'expression', expression: 'level = error' },
      window: { from: '2026-03-02T18:00:00.000Z', to: '2026-03-02T18:40:00.000Z' },
    });
  });

  it('shows the plot that was chosen, of a pin from Metrics', async () => {
    const asked = answerWith(plot([1, 2]));
    const plots = JSON.stringify([{ sources: [{ of: 'pattern', pattern: 'k7' }], kind: 'line', ghosts: [] }]);
    renderAt('/case', <Thumbnail address={`/metrics?${focus}&plots=${encodeURIComponent(plots)}`} />);
    await screen.findByRole('img');
    expect(asked.at(-1)?.body).toMatchObject({ source: { of: 'pattern', pattern: 'k7' } });
  });

  it('is not drawn without a time', () => {
    const asked = answerWith({});
    renderAt('/case', <Thumbnail address="/runs" />);
    expect(screen.queryByRole('img')).not.toBeInTheDocument();
    expect(asked).toHaveLength(0);
  });
});

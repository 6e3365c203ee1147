import { chartSvg } from './chart-svg.js';
import { type ReportCase, reportMarkdown } from './report.js';

const of: ReportCase = {
  name: 'Leases *lost*',
  status: 'closed',
  owner: 'm.tern',
  opened: '2026-03-02T18:10:00.000Z',
  window: { from: '2026-03-02T18:00:00.000Z', to: '2026-03-02T18:40:00.000Z' },
  findings: [
    { kind: 'impact', text: '2.3% of the requests failed.' },
    { kind: 'signature', text: 'It is told apart by <b>a line</b>.' },
    { kind: 'nothing', text: 'What changed? Nothing.' },
  ],
  causes: [
    {
      text: 'The change',
      certainty: 'likely',
      for: ['it stands before'],
      against: [],
      temporary: 'Take it back.',
      lasting: 'Try it first.',
    },
  ],
  doubt: ['who asked for it'],
  next: ['watch it'],
  hypotheses: [{ text: 'the decoy', verdict: 'ruled out', why: 'moved nothing' }],
  timeline: [
    { stage: 'peak', time: '2026-03-02T18:20:00.000Z', text: 'all of it' },
    { stage: 'first sign', time: '2026-03-02T18:02:00.000Z', text: 'the store' },
  ],
  remedies: [{ kind: 'temporary', text: 'taken back', owner: 'k.dunlin', done: true, helped: true }],
  changed: [
    {
      time: '2026-03-02T18:38:00.000Z',
      title: 'lease_time: 3s → 30s',
      by: 'k.dunlin',
      how: 'takes back',
      earlier: 'lease_time: 30s → 3s',
    },
    { time: '2026-03-02T19:10:00.000Z', title: '1.4.0 → 1.4.1', by: '', how: 'before the recovery' },
  ],
  moreChanged: 2,
  recovery: 'Recovered since 19:12.',
  notes: 'We saw *this* first.',
  pins: [{ title: 'a line', note: 'rare', at: '2026-03-02T18:11:00.000Z' }],
};

describe('a report', () => {
  const text = reportMarkdown(of);

  it('answers what, since when, for whom, why, and what was done', () => {
    const heads = text.split('\n').filter((line) => line.startsWith('## '));
    expect(heads).toEqual([
      '## What, and since when',
      '## For whom',
      '## What was looked for and not found',
      '## Why',
      '## Hypotheses',
      '## What happened when',
      '## What was done',
      '## What is not known',
      '## What to look at next',
      '## Kept in the case',
      '## Notes',
    ]);
    expect(text).toContain(
      '**In short:** 2.3% of the requests failed. The change is the likely cause. Recovered since 19:12.',
    );
    expect(text).toContain(
      '- 2026-03-02 18:38:00 UTC: lease\\_time: 3s → 30s, by k.dunlin; takes back “lease\\_time: 30s → 3s”',
    );
    expect(text).toContain('- 2026-03-02 19:10:00 UTC: 1.4.0 → 1.4.1; shortly before it recovered');
    expect(text).toContain(
      '2 more changes of the same services since then; nothing tells that they were about',
    );
    expect(text).toContain('- temporary: taken back, k.dunlin; done, and it helped');
    expect(text.indexOf('first sign')).toBeLessThan(text.indexOf('**peak**'));
  });

  it('takes text as text, but for the notes', () => {
    expect(text).toContain('# Leases \\*lost\\*');
    expect(text).toContain('&lt;b&gt;a line&lt;/b&gt;');
    expect(text).toContain('We saw *this* first.');
  });

  it('says that nothing is known where nothing is', () => {
    const empty = reportMarkdown({
      ...of,
      causes: [],
      remedies: [],
      changed: [],
      moreChanged: 0,
      hypotheses: [],
      timeline: [],
      pins: [],
      notes: '',
    });
    expect(empty).toContain('No cause is known yet.');
    expect(empty).toContain('Nothing is written down.');
    expect(empty).not.toContain('of the same services');
  });
});

describe('a chart of a report', () => {
  it('is drawn with its gaps, and asks for nothing', () => {
    const svg = chartSvg({
      title: 'share <that> fails',
      unit: 'share',
      from: 0,
      step: 60,
      values: [0, 0.5, null, 1],
      focus: { from: 60, to: 240 },
    });
    expect(svg).toContain('share &#60;that&#62; fails');
    expect(svg.match(/[ML]\d/g)!.filter((one) => one.startsWith('M'))).not.toHaveLength(0);
    expect(/ d="(M[^"]+)" fill="none" stroke="#0b6e6e"/.exec(svg)![1]!.match(/M/g)).toHaveLength(2);
    expect(svg).not.toMatch(/href|url\(|@import/);
    // The value alone at the end is a point; the time within a day is told by the clock.
    expect(svg).toMatch(/h0\.1" fill="none"/);
    expect(svg).toContain('>00:00</text>');
  });

  it('tells the day where it goes over many hours', () => {
    const svg = chartSvg({
      title: 'runs',
      unit: 'share',
      from: 0,
      step: 3600,
      values: Array.from({ length: 36 }, () => 0.5),
      focus: { from: 43_200, to: 129_600 },
    });
    expect(svg).toContain('>01-02 12:00</text>');
  });

  it('has no markup of pages in it, wherever that was written', () => {
    const evil = '<img src=x onerror=alert(1)><script>1</script> [x](javascript:alert(1))';
    const hostile = reportMarkdown({
      ...of,
      name: evil,
      owner: evil,
      findings: [{ kind: 'impact', text: evil }],
      notes: `${evil}\n\n# a head\n\n1 < 2, a <b>bold</b> and <!-- a comment -->\n[y]: javascript:1`,
      pins: [{ title: evil, note: evil, at: of.opened }],
    });
    expect(hostile).not.toMatch(/<[a-z/!?]/i);
    expect(hostile).not.toMatch(/(?<!\\)\](?:\(|:)\s*javascript:/i);
    expect(hostile).toContain('# a head');
    expect(hostile).toContain('1 < 2, a &lt;b>bold&lt;/b>');
  });
});

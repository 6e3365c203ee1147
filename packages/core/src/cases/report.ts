import type { AnsweringChange } from '../changes/index.js';

/** What a report is made of: plain sentences and moments in RFC 3339. */
export interface ReportCase {
  name: string;
  status: string;
  owner: string;
  opened: string;
  /** Of when it is about. */
  window?: { from: string; to: string };
  findings: { kind: string; text: string }[];
  causes: {
    text: string;
    certainty: string;
    for: string[];
    against: string[];
    temporary: string;
    lasting: string;
  }[];
  doubt: string[];
  next: string[];
  hypotheses: { text: string; verdict: string; why: string }[];
  timeline: { stage: string; time: string; text: string }[];
  remedies: { kind: string; text: string; owner: string; done: boolean; helped: boolean }[];
  /** Changes made about earlier ones, and how many more there were of the same services. */
  changed: { time: string; title: string; by: string; how: AnsweringChange['how']; earlier?: string }[];
  moreChanged: number;
  recovery: string;
  /** Markdown, as it was written. */
  notes: string;
  pins: { title: string; note: string; at: string }[];
}

/** Stages of what happened, in their order. */
export const STAGES = ['before', 'first sign', 'spread', 'peak', 'recovery'] as const;

/** Questions that a report answers, and the findings that do. */
const QUESTIONS: [question: string, kinds: readonly string[]][] = [
  ['What, and since when', ['impact', 'runs', 'begins', 'broke']],
  ['For whom', ['spread', 'signature']],
  ['What moved, and what was new', ['onset', 'pattern', 'early', 'change']],
  ['What was looked for and not found', ['nothing']],
];

/** A case as a report in Markdown, for somebody who was not there. */
export function reportMarkdown(of: ReportCase): string {
  const lines: string[] = [`# ${plain(of.name)}`, ''];
  const say = (...more: string[]): void => void lines.push(...more);
  const list = (items: readonly string[]): void => say(...items.map((item) => `- ${item}`), '');
  const facts = [`Status: ${of.status}`, `opened ${moment(of.opened)}`];
  if (of.owner !== '') facts.push(`owner: ${plain(of.owner)}`);
  if (of.window) facts.push(`about ${moment(of.window.from)} to ${moment(of.window.to)}`);
  say(`${facts.join('; ')}.`, '');
  const [first] = of.causes;
  const what = of.findings.find(({ kind }) => kind === 'impact' || kind === 'runs')?.text;
  const why = first ? `${first.text} is ${sure(first.certainty)}.` : 'No cause is known yet.';
  if (of.findings.length > 0)
    say(`**In short:** ${[what ?? '', why, of.recovery].filter(Boolean).map(plain).join(' ')}`, '');
  for (const [question, kinds] of QUESTIONS) {
    const own = of.findings.filter(({ kind }) => kinds.includes(kind));
    if (own.length === 0) continue;
    say(`## ${question}`, '');
    list(own.map(({ text }) => plain(text)));
  }
  if (of.causes.length > 0) {
    say('## Why', '');
    for (const cause of of.causes) {
      say(`### ${plain(cause.text)}: ${cause.certainty}`, '');
      list([
        ...cause.for.map((text) => `for: ${plain(text)}`),
        ...cause.against.map((text) => `against: ${plain(text)}`),
      ]);
      say(`For now: ${plain(cause.temporary)}`, '', `For good: ${plain(cause.lasting)}`, '');
    }
  }
  if (of.hypotheses.length > 0) {
    say('## Hypotheses', '');
    list(
      of.hypotheses.map(
        ({ text, verdict, why }) => `${verdict}: ${plain(text)}${why === '' ? '' : ` (${plain(why)})`}`,
      ),
    );
  }
  if (of.timeline.length > 0) {
    say('## What happened when', '');
    for (const stage of STAGES) {
      const own = of.timeline.filter((entry) => entry.stage === stage);
      if (own.length === 0) continue;
      say(`**${stage}**`, '');
      list(
        [...own]
          .sort((a, b) => (a.time < b.time ? -1 : 1))
          .map(({ time, text }) => `${moment(time)}: ${plain(text)}`),
      );
    }
  }
  say('## What was done', '');
  list([
    ...of.changed.map(
      ({ time, title, by, how, earlier }) =>
        `${moment(time)}: ${plain(title)}${by === '' ? '' : `, by ${plain(by)}`}; ${aboutText(how, earlier)}`,
    ),
    ...of.remedies.map(
      ({ kind, text, owner, done, helped }) =>
        `${kind}: ${plain(text.replace(/\.$/, ''))}${owner === '' ? '' : `, ${plain(owner)}`}; ${done ? `done${helped ? ', and it helped' : ''}` : 'not marked as done'}`,
    ),
  ]);
  if (of.changed.length + of.remedies.length === 0) say('Nothing is written down.', '');
  if (of.moreChanged > 0)
    say(
      `${of.moreChanged} more ${of.moreChanged === 1 ? 'change' : 'changes'} of the same services since then; nothing tells that ${of.moreChanged === 1 ? 'it was' : 'they were'} about this.`,
      '',
    );
  say(plain(of.recovery), '');
  if (of.doubt.length > 0) {
    say('## What is not known', '');
    list(of.doubt.map(plain));
  }
  if (of.next.length > 0) {
    say('## What to look at next', '');
    list(of.next.map(plain));
  }
  if (of.pins.length > 0) {
    say('## Kept in the case', '');
    list(
      of.pins.map(
        ({ title, note, at }) => `${moment(at)}: ${plain(title)}${note === '' ? '' : `. ${plain(note)}`}`,
      ),
    );
  }
  if (of.notes.trim() !== '') say('## Notes', '', withoutMarkup(of.notes.trim()), '');
  return `${lines.join('\n').trimEnd()}\n`;
}

const aboutText = (how: AnsweringChange['how'], earlier = ''): string =>
  ({
    'takes back': `takes back “${plain(earlier)}”`,
    'changes further': `changes further what “${plain(earlier)}” changed`,
    'before the recovery': 'shortly before it recovered',
  })[how];

const sure = (certainty: string): string =>
  certainty === 'likely'
    ? 'the likely cause'
    : certainty === 'possible'
      ? 'a possible cause'
      : 'a guess at the cause';

/** Text of logs is text: signs that Markdown reads are taken as they stand, and a line stays one. */
const plain = (text: string): string =>
  text
    .replace(/[\r\n]+/g, ' ')
    .replace(/[\\`*_[\]#|~]/g, (sign) => `\\${sign}`)
    // Not every reader of Markdown knows that a backslash keeps markup of pages from being done.
    .replace(/[<>&]/g, (sign) => (sign === '<' ? '&lt;' : sign === '>' ? '&gt;' : '&amp;'));

/** Notes are Markdown, as somebody wrote them; markup of pages in them is shown, not done. */
const withoutMarkup = (markdown: string): string =>
  markdown
    .replace(/<(?=[A-Za-z/!?])/g, '&lt;')
    .replace(/(\]\(|\]:\s*)\s*(?:javascript|vbscript|data):/gi, '$1#');

const moment = (time: string): string => `${time.slice(0, 10)} ${time.slice(11, 19)} UTC`;

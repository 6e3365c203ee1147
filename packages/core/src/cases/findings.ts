/** What an investigation found; each kind is an answer to one question, told from figures that stand in it. */
export type Finding =
  | {
      kind: 'impact';
      /** What went wrong. */
      wrong: 'failed' | 'refused' | 'hidden' | 'slow';
      /** As many as those kept stand for. */
      count: number;
      all: number;
      /** Share in the baseline, where there is one. */
      usual?: number;
      /** RFC 3339. */
      since?: string;
    }
  | {
      kind: 'runs';
      job: string;
      failed: number;
      withErrors: number;
      all: number;
      /** RFC 3339: the first that went wrong after their share rose. */
      since?: string;
      /** What was usual before, or in the baseline. */
      usual?: { wrong: number; all: number };
    }
  | {
      /** Where runs that failed broke off. */
      kind: 'broke';
      step: string;
      error: string;
      frame?: string;
      count: number;
      of: number;
    }
  | { kind: 'spread'; service?: string; field: string; subset: string[]; of: number; carries: number }
  | { kind: 'begins'; service: string; operation: string; peer?: string; share: number }
  | {
      kind: 'pattern';
      pattern: string;
      text: string;
      service: string;
      count: number;
      change: string;
      firstSeen?: string;
    }
  | {
      kind: 'onset';
      service: string;
      measure: string;
      /** What it is a measure of: load, saturation, latency… */
      of: string;
      time: string;
      size: string;
      role: 'likely origin' | 'consequence' | 'open';
      /** Place among the candidates, from 1. */
      place: number;
      /** Id of a change that speaks for it. */
      change?: string;
    }
  | {
      kind: 'change';
      id: string;
      title: string;
      service: string;
      time: string;
      seconds: number;
      /** What it stands before, with its verb. */
      before: string;
    }
  | {
      kind: 'signature';
      text: string;
      terms: { kind: string; name: string; service?: string; values: string[] }[];
      coverage: number;
      purity: number;
      verdict: string;
      check: string;
      /** As much went wrong in the baseline. */
      usual?: boolean;
      expression?: string;
      frame?: string;
    }
  | { kind: 'early'; pattern: string; text: string; service: string; time: string; shared: string[] }
  | { kind: 'nothing'; question: string; why: string };

export type FindingKind = Finding['kind'];

const WRONG = {
  failed: 'failed',
  refused: 'were refused',
  hidden: 'broke unseen',
  slow: 'were slow',
} as const;

const percent = (share: number): string => {
  const value = 100 * share;
  return `${value === 0 ? '0' : value < 0.1 ? value.toFixed(2) : value < 10 ? value.toFixed(1) : value.toFixed(0)}%`;
};

const clock = (moment: string): string => `${moment.slice(11, 16)} UTC`;
const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
/** The same with its day, of what may lie days before. */
const dayAndClock = (moment: string): string =>
  `${Number(moment.slice(8, 10))} ${MONTHS[Number(moment.slice(5, 7)) - 1]!} at ${clock(moment)}`;
const listed = (names: readonly string[]): string =>
  names.length < 2 ? (names[0] ?? '') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)!}`;

/** A finding in a sentence; never surer than its figures. */
export function findingText(finding: Finding): string {
  switch (finding.kind) {
    case 'impact': {
      const { wrong, count, all, usual, since } = finding;
      const against = usual === undefined ? '' : `, ${percent(usual)} is usual`;
      return `${percent(all === 0 ? 0 : count / all)} of the requests ${WRONG[wrong]} (${Math.round(count)} of ${Math.round(all)}${against})${since === undefined ? '' : `, the first of them at ${clock(since)}`}.`;
    }
    case 'runs': {
      const { job, failed, withErrors, all, since, usual } = finding;
      const counts = [
        ...(failed > 0 ? [`${failed} failed`] : []),
        ...(withErrors > 0 ? [`${withErrors} done with errors`] : []),
      ].join(', ');
      const before = usual === undefined ? '' : `; before, ${usual.wrong} of ${usual.all} did`;
      return `${percent(all === 0 ? 0 : (failed + withErrors) / all)} of the runs of ${job} went wrong (${counts}, of ${all})${since === undefined ? '' : `, the first of them on ${dayAndClock(since)}`}${before}.`;
    }
    case 'broke': {
      const { step, error, frame, count, of } = finding;
      const where = step === '' ? '' : ` at the step ${step}`;
      return `${count} of ${of} runs that failed broke off${where}${frame === undefined ? '' : `, ${frame}`}: “${error}”.`;
    }
    case 'spread': {
      const { service, field, subset, of, carries } = finding;
      // A word has a plural; a name of an attribute has values.
      const values = /^[a-z]+$/i.test(field) ? `${field}s` : `values of ${field}`;
      return `${percent(carries)} of what went wrong came by ${subset.length} of ${of} ${values}${service === undefined ? '' : ` of ${service}`}: ${listed(subset)}.`;
    }
    case 'begins': {
      const { service, operation, peer, share } = finding;
      return `In ${percent(share)} of the failing requests ${service} failed first, in “${operation}”${peer === undefined ? '' : ` of ${peer}`}.`;
    }
    case 'pattern':
      return `${finding.service} wrote “${finding.text}” ${finding.count} times, ${finding.change}${finding.firstSeen === undefined ? '' : `, from ${clock(finding.firstSeen)}`}.`;
    case 'onset': {
      const role = {
        'likely origin': 'it may be where it began',
        consequence: 'it looks like a consequence',
        open: 'whether as cause or consequence is open',
      }[finding.role];
      return `${finding.measure} of ${finding.service} left its normal range at ${clock(finding.time)} (${finding.size}); ${role}.`;
    }
    case 'change': {
      const minutes = Math.round(finding.seconds / 60);
      return `${finding.title} on ${dayAndClock(finding.time)}, ${minutes === 0 ? 'less than a minute' : `${minutes} min`} before ${finding.before}.`;
    }
    case 'signature':
      return `What went wrong is told apart by ${finding.text}: it fits ${percent(finding.coverage)} of it, and ${percent(finding.purity)} of all that it fits went wrong (${finding.check})${finding.usual ? '; as much went wrong in the baseline' : ''}.`;
    case 'early':
      return finding.shared.length === 0
        ? `New on its way just before: ${finding.service} wrote “${finding.text}” at ${clock(finding.time)}.`
        : `New on its way just before, naming ${listed(finding.shared)} as what went wrong does: ${finding.service} wrote “${finding.text}” at ${clock(finding.time)}.`;
    case 'nothing':
      return `${finding.question} ${finding.why}`;
  }
}

import { type Finding, type FindingKind, findingText } from './findings.js';

/** What kind of cause it is; remedies are fitted to it. */
export type CauseKind = 'change' | 'line' | 'job' | 'instance' | 'work' | 'code' | 'outside';

/** Something that speaks for or against a cause: a finding, by its place. */
export interface Evidence {
  finding: number;
  for: boolean;
  weight: number;
}

export type Certainty = 'likely' | 'possible' | 'a guess';

export interface Cause {
  kind: CauseKind;
  text: string;
  certainty: Certainty;
  score: number;
  evidence: Evidence[];
  /** What would help for now, and what would cure it. */
  temporary: string;
  lasting: string;
  /** Id of a change that can be taken back. */
  change?: string;
}

export interface Conclusion {
  causes: Cause[];
  /** What is not known, and what to look at next. */
  doubt: string[];
  next: string[];
}

/** Kinds of findings that have to speak for a cause for it to be likely, and how strongly together. */
const KINDS_FOR_LIKELY = 3;
const SCORE_FOR_LIKELY = 3;
const SCORE_FOR_POSSIBLE = 1.5;

type Of<K extends FindingKind> = Extract<Finding, { kind: K }>;

/**
 * Puts findings together into causes, the likeliest first. A cause is as sure as what speaks for it: findings of
 * several kinds have to agree for it to be called likely, and without any of them it sinks or is not named.
 */
export function conclude(findings: readonly Finding[]): Conclusion {
  const all = <K extends FindingKind>(kind: K): { finding: Of<K>; at: number }[] =>
    findings.flatMap((finding, at) => (finding.kind === kind ? [{ finding: finding as Of<K>, at }] : []));
  const onsets = all('onset').sort((a, b) => a.finding.place - b.finding.place);
  const [signature] = all('signature');
  const causes: Cause[] = [];
  const add = (cause: Omit<Cause, 'score' | 'certainty'>): void => {
    const score = cause.evidence.reduce((sum, one) => sum + (one.for ? one.weight : -one.weight), 0);
    const kinds = new Set(
      cause.evidence.filter((one) => one.for).map(({ finding }) => findings[finding]!.kind),
    );
    if (score <= 0) return;
    const certainty: Certainty =
      score >= SCORE_FOR_LIKELY && kinds.size >= KINDS_FOR_LIKELY
        ? 'likely'
        : score >= SCORE_FOR_POSSIBLE
          ? 'possible'
          : 'a guess';
    causes.push({ ...cause, score, certainty });
  };
  const names = (service: string, { finding }: { finding: Of<'signature'> }): boolean =>
    finding.terms.some((term) => term.service === service);

  for (const { finding: change, at } of all('change')) {
    const evidence: Evidence[] = [{ finding: at, for: true, weight: 1 }];
    const [first] = onsets;
    for (const { finding: onset, at: place } of onsets.slice(0, 3))
      if (onset.change === change.id || onset.service === change.service)
        evidence.push({ finding: place, for: true, weight: onset.place === 1 ? 1.2 : 0.6 });
    if (first && !evidence.some(({ finding }) => finding === first.at))
      evidence.push({ finding: first.at, for: false, weight: 0.8 });
    for (const { finding: pattern, at: place } of all('pattern'))
      if (pattern.service === change.service) evidence.push({ finding: place, for: true, weight: 0.5 });
    for (const { finding: early, at: place } of all('early'))
      if (early.service === change.service) evidence.push({ finding: place, for: true, weight: 0.4 });
    for (const { finding: begins, at: place } of all('begins'))
      if (begins.service === change.service || begins.peer === change.service)
        evidence.push({ finding: place, for: true, weight: 0.6 });
    if (signature && names(change.service, signature))
      evidence.push({ finding: signature.at, for: true, weight: 0.6 });
    // Runs are told by their parameters: what was changed to may be one of them.
    for (const { finding: runs, at: place } of all('runs')) {
      if (runs.since !== undefined) evidence.push({ finding: place, for: true, weight: 1 });
      if (signature && changedTo(change, signature.finding))
        evidence.push({ finding: signature.at, for: true, weight: 1 });
    }
    add({
      kind: 'change',
      text: `The change “${change.title}” on ${change.service}`,
      evidence,
      temporary: 'Take the change back, and see whether what followed from it goes away.',
      lasting: `Try such a change of ${change.service} on a part of the load first, with the measures above watched, and a limit that stops it.`,
      change: change.id,
    });
  }

  for (const { finding: early, at } of all('early')) {
    if (early.shared.length === 0) continue;
    const evidence: Evidence[] = [{ finding: at, for: true, weight: 1.6 }];
    if (
      signature &&
      early.shared.some((value) => signature.finding.terms.some(({ values }) => values.includes(value)))
    )
      evidence.push({ finding: signature.at, for: true, weight: 1 });
    for (const { finding: begins, at: place } of all('begins'))
      if (begins.service === early.service || begins.peer === early.service)
        evidence.push({ finding: place, for: true, weight: 0.5 });
    for (const { at: place } of all('impact')) evidence.push({ finding: place, for: true, weight: 0.4 });
    add({
      kind: 'line',
      text: `What ${early.service} did when it wrote “${early.text}”`,
      evidence,
      temporary: `Correct what ${early.service} took in then, for ${early.shared.join(' and ')}.`,
      lasting: `Let ${early.service} check such an input against what was there before, and say at level warn when it differs.`,
    });
  }

  const [runs] = all('runs');
  const [broke] = all('broke');
  if (runs && (broke || signature)) add(codeCause(runs, broke, signature, all('spread'), all('change')));
  if (signature && !runs)
    for (const term of signature.finding.terms) {
      const evidence: Evidence[] = [
        { finding: signature.at, for: true, weight: 1 + signature.finding.purity },
      ];
      for (const { at: place } of all('impact')) evidence.push({ finding: place, for: true, weight: 0.4 });
      if (term.kind === 'run')
        add({
          kind: 'job',
          text: `The job ${term.name}, beside whose runs it goes wrong`,
          evidence: [
            ...evidence,
            ...all('begins').map(({ at }): Evidence => ({ finding: at, for: true, weight: 0.4 })),
          ],
          temporary: `Hold ${term.name} back, or run it when few ask.`,
          lasting: `Make ${term.name} hold what it shares with the requests for shorter: smaller parts, no lock over all of it.`,
        });
      else if (term.name === 'instance' || term.name === 'host' || term.kind === 'metric')
        add(instanceCause(term, evidence, all('spread'), all('onset')));
      else if (term.kind === 'calls' || term.kind === 'field' || term.kind === 'slot')
        add({
          kind: 'work',
          text:
            term.kind === 'calls'
              ? `How often “${term.name}” is called in one request`
              : `What is asked with ${term.name}${term.values.length > 0 ? ` ${listedValues(term.values)}` : ''}`,
          evidence: [
            ...evidence,
            ...all('spread').flatMap(({ finding, at }): Evidence[] =>
              finding.field === term.name ? [{ finding: at, for: true, weight: 0.3 }] : [],
            ),
          ],
          temporary:
            'Serve these requests apart from the others, or refuse them early, so that the others go on.',
          lasting:
            term.kind === 'calls'
              ? `Ask for all of it in one call of “${term.name}”.`
              : 'Look at what the code does for these values alone, and test it with them.',
        });
    }
  for (const { finding: spread, at } of all('spread')) {
    if (spread.field !== 'instance' || spread.subset.length !== 1) continue;
    add(
      instanceCause(
        {
          kind: 'field',
          name: 'instance',
          values: spread.subset,
          ...(spread.service !== undefined && { service: spread.service }),
        },
        [],
        [{ finding: spread, at }],
        onsets,
      ),
    );
  }

  const [first] = onsets;
  if (
    first &&
    first.finding.role === 'likely origin' &&
    !causes.some(({ evidence }) => evidence.some((one) => one.finding === first.at && one.for))
  ) {
    const { service, measure } = first.finding;
    const evidence: Evidence[] = [{ finding: first.at, for: true, weight: 1.2 }];
    for (const { finding: pattern, at } of all('pattern'))
      if (pattern.service === service) evidence.push({ finding: at, for: true, weight: 0.5 });
    for (const { finding: other, at } of onsets.slice(1))
      if (other.role === 'consequence') evidence.push({ finding: at, for: true, weight: 0.3 });
    add({
      kind: 'outside',
      text: `Something that reached ${service} from outside what is recorded: ${measure} moved first, and no change is known before it`,
      evidence,
      temporary: `Let whoever asks ${service} wait longer between tries, and limit how many go on at once.`,
      lasting: `Ask who runs what ${service} depends on; retries with growing pauses, and a limit before its own limit.`,
    });
  }

  const merged = distinct(causes).sort((a, b) => b.score - a.score || (a.text < b.text ? -1 : 1));
  return { causes: merged.slice(0, 5), ...openOf(findings, merged) };
}

/** Whether a signature names what something was changed to. */
const changedTo = ({ title }: Of<'change'>, { terms }: Of<'signature'>): boolean =>
  terms.some(({ values }) => values.some((value) => value.length > 1 && title.endsWith(value)));

interface Placed<K extends FindingKind> {
  finding: Of<K>;
  at: number;
}

/** What the program of a job does with those runs that go wrong. */
function codeCause(
  runs: Placed<'runs'>,
  broke: Placed<'broke'> | undefined,
  signature: Placed<'signature'> | undefined,
  spreads: readonly Placed<'spread'>[],
  changes: readonly Placed<'change'>[],
): Omit<Cause, 'score' | 'certainty'> {
  const speaks = (at: number, weight: number): Evidence => ({ finding: at, for: true, weight });
  const evidence: Evidence[] = [speaks(runs.at, 0.4)];
  if (broke) evidence.push(speaks(broke.at, broke.finding.count / broke.finding.of));
  if (signature) evidence.push(speaks(signature.at, 1 + signature.finding.purity));
  for (const { finding, at } of spreads)
    if (!signature || signature.finding.terms.some(({ name }) => name === finding.field))
      evidence.push(speaks(at, 0.8));
  const change = changes.find(({ finding }) => signature && changedTo(finding, signature.finding));
  if (change) evidence.push(speaks(change.at, 0.6));
  const step = broke && broke.finding.step !== '' ? `the step ${broke.finding.step}` : undefined;
  const where = broke?.finding.frame ?? step ?? runs.finding.job;
  const which = signature ? ` with ${signature.finding.text}` : '';
  return {
    kind: 'code',
    text: `What ${where.replace(/^at /, '')} does${which}`,
    evidence,
    temporary: signature
      ? `Leave out the runs with ${signature.finding.text}, or run them as they were run before; the others go on.`
      : `Hold ${runs.finding.job} back until it is known what it breaks on.`,
    lasting: `Mend it${which === '' ? '' : ' for such runs'}, and test it with what they were given.`,
    ...(change && { change: change.finding.id }),
  };
}

const listedValues = (values: readonly string[]): string => values.slice(0, 4).join(' or ');

function instanceCause(
  term: { kind: string; name: string; service?: string; values: string[] },
  evidence: readonly Evidence[],
  spreads: readonly { finding: Of<'spread'>; at: number }[],
  onsets: readonly { finding: Of<'onset'>; at: number }[],
): Omit<Cause, 'score' | 'certainty'> {
  const own = spreads.filter(({ finding }) => finding.field === 'instance' && finding.subset.length === 1);
  const name = own[0]?.finding.subset[0] ?? term.values[0] ?? `an instance of ${term.service ?? ''}`;
  const service = own[0]?.finding.service ?? term.service;
  return {
    kind: 'instance',
    text: `Something of ${name} alone`,
    evidence: [
      ...evidence,
      ...own.map(({ at }): Evidence => ({ finding: at, for: true, weight: 1.4 })),
      ...onsets
        .filter(({ finding }) => finding.service === service)
        .map(({ finding, at }): Evidence => ({
          finding: at,
          for: true,
          weight: finding.place === 1 ? 1 : 0.4,
        })),
    ],
    temporary: `Take ${name} out of turn; its siblings go on.`,
    lasting: `Find what sets ${name} apart from its siblings (its host, its clock, its version), and check it at start.`,
  };
}

/** Of causes that say the same the surer one. */
function distinct(causes: readonly Cause[]): Cause[] {
  const best = new Map<string, Cause>();
  for (const cause of causes) {
    const key = cause.kind === 'instance' ? cause.text : `${cause.kind} ${cause.text}`;
    const known = best.get(key);
    if (!known || cause.score > known.score) best.set(key, cause);
  }
  return [...best.values()];
}

/** What stays open, and what would tell. */
function openOf(findings: readonly Finding[], causes: readonly Cause[]): Pick<Conclusion, 'doubt' | 'next'> {
  const has = (kind: FindingKind): boolean => findings.some((finding) => finding.kind === kind);
  const doubt: string[] = findings.flatMap((finding) =>
    finding.kind === 'nothing' ? [findingText(finding)] : [],
  );
  const next: string[] = [];
  const [first, second] = causes;
  if (!first) doubt.push('Nothing that was found points to a cause.');
  else if (first.certainty !== 'likely') doubt.push('No cause is supported by findings of several kinds.');
  if (second && first && second.score > 0.75 * first.score)
    doubt.push(`“${second.text}” is supported nearly as well as the first.`);
  if (first?.change !== undefined) next.push('Take the change back and watch whether what went wrong ends.');
  if (first?.kind === 'instance')
    next.push('Set it beside its siblings (Health, test a suspect): does it follow?');
  if (has('signature'))
    next.push('Open the counter-examples of the signature: items that it fits and that went well.');
  else next.push('Choose other cohorts in Contrast, or a longer focus.');
  if (has('runs')) next.push('Open a run that failed beside the last good one of its job (Runs).');
  else if (!has('onset'))
    next.push('Look at Metrics around the first of what went wrong: averages hide peaks.');
  if (!has('change')) next.push('Ask for changes that are not told to Flail: Changes lists those that are.');
  return { doubt, next };
}

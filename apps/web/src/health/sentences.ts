import type {
  FigureBody,
  HealthAnswer,
  ObjectiveState,
  RequestsAnalysisAnswer,
  SuspectAnswer,
} from '@flail/contract';
import { secondsText } from '../format/figures.js';
import { fullCount, percent, plural } from '../format/numbers.js';
import { dayTime, duration } from '../format/times.js';
import { failedShare } from '../requests/sentences.js';

/** How far a figure is from what is usual, while it was outside: "41% down", "3 times". */
export function changeText(figure: FigureBody): string {
  const { verdict } = figure;
  const { value, usual } = figure.stretch ?? figure;
  if (value === undefined || usual === undefined || verdict === 'unknown') return 'not known what is usual';
  if (verdict === 'as usual') return 'as usual';
  if (usual <= 0) return verdict === 'above' ? 'up from nothing' : 'down';
  const ratio = value / usual;
  if (ratio >= 2)
    return `${ratio < 10 ? Number(ratio.toFixed(1)) : fullCount(Math.round(ratio))} times the usual`;
  return ratio >= 1 ? `${percent(ratio - 1)} up` : `${percent(1 - ratio)} down`;
}

/** The sentence of the hour: what share fails, since when, what it comes from, what it does to the business. */
export function hourFinding(health: HealthAnswer, analysis: RequestsAnalysisAnswer | undefined): string {
  const { focus, baseline, failing, figures, tolerance, business, runs } = health;
  if (focus.kept === 0 && runs.length === 0) return 'No requests and no runs here.';
  const parts: string[] = [];
  const share = failedShare(focus);
  const usual = figures.find(({ unit }) => unit === 'share')?.usual;
  const normal = baseline && baseline.kept > 0 ? failedShare(baseline) : usual;
  if (focus.kept > 0) {
    if (failing) {
      const when = failing.goesOn
        ? `since ${dayTime(failing.from)}`
        : `from ${dayTime(failing.from)} to ${dayTime(failing.to).slice(-5)}`;
      parts.push(
        `${percent(failing.share)} of ${failing.operation ?? 'requests'} fail, ${when}${normal === undefined ? '' : `; ${percent(normal)} is usual`}`,
      );
    } else if (share > 0)
      parts.push(`${percent(share)} of requests fail, within the tolerance of ${percent(tolerance)}`);
    else parts.push('No request fails');
  }
  const from = analysis && failing ? comesFrom(analysis) : '';
  if (from !== '') parts.push(from);
  const slow = figures.find(({ name }) => name.startsWith('95%'));
  if (slow?.verdict === 'above') {
    const { value, usual: before } = slow.stretch ?? slow;
    if (value !== undefined && before !== undefined)
      parts.push(`95% took up to ${secondsText(value)}, ${secondsText(before)} is usual`);
  }
  for (const figure of business)
    if (figure.verdict === 'below' || (figure.verdict === 'above' && farAbove(figure)))
      parts.push(`${figure.name} ${changeText(figure)}`);
  const stuck = runs.reduce((sum, run) => sum + run.stuck, 0);
  const failedRuns = runs.reduce((sum, run) => sum + run.focus.failed, 0);
  if (failedRuns > 0) parts.push(`${plural(failedRuns, 'run')} failed`);
  if (stuck > 0) parts.push(`${plural(stuck, 'run')} ${stuck === 1 ? 'is' : 'are'} stuck`);
  return `${parts.join('; ')}.`;
}

/** More than usual is told of when it is twice as much: a good day is no trouble. */
function farAbove(figure: FigureBody): boolean {
  const { value, usual } = figure.stretch ?? figure;
  return value !== undefined && usual !== undefined && value >= 2 * usual;
}

/** What the failures come from: the smallest subset that carries nearly all, else where they begin. */
export function comesFrom({ spread, origins }: RequestsAnalysisAnswer): string {
  const places = spread.filter(
    ({ verdict, carries, field }) => verdict === 'a subset' && carries >= 0.9 && PLACES.includes(field),
  );
  const [place] = places;
  if (place?.subset.length === 1)
    return `${place.carries > 0.9995 ? 'all' : percent(place.carries)} from one of ${place.members.length} ${place.field}s of ${place.service ?? 'the callers'}, ${place.subset[0]!}`;
  if (place)
    return `${place.carries > 0.9995 ? 'all' : percent(place.carries)} from ${place.subset.length} of ${place.members.length} ${place.field}s of ${place.service ?? 'the callers'}`;
  const [origin] = origins;
  if (!origin || origin.requests < 0.9 * origin.of) return '';
  const alike = spread.some(
    ({ verdict, field, service }) =>
      verdict === 'all alike' && field === 'instance' && service === origin.service,
  );
  return `they begin at ${origin.service}${alike ? ', in all of its instances alike' : ''}`;
}

const PLACES = ['instance', 'host', 'site', 'service.version'];

/** How an objective stands, in a sentence. */
export function objectiveFinding({ objective, burns, left, lasts }: ObjectiveState): string {
  const hour = burns.find(({ seconds }) => seconds === 3600);
  const share = percent(1 - objective.target);
  const stands = left <= 0 ? `the budget is used up` : `${percent(left)} of the budget is left`;
  const pace =
    hour && hour.rate >= 1 && lasts !== undefined && left > 0
      ? `; at the pace of the last hour for ${duration(lasts * 1000)}`
      : '';
  return `Of ${objective.name} ${share} may fail over ${plural(objective.days, 'day')}: ${stands}${pace}.`;
}

/** Whether what failed was sent again. */
export function retriedFinding({ retried }: HealthAnswer): string {
  const { failed, again, recovered, sampled } = retried;
  if (failed === 0) return '';
  const least = sampled ? 'at least ' : '';
  if (again === 0)
    return `No retry was seen of ${plural(failed, 'failing request')} that name their client${sampled ? '; not all requests are kept, so some may have come again' : ': what failed is lost'}.`;
  return `Of ${plural(failed, 'failing request')} ${least}${fullCount(again)} came again within two minutes, ${least}${fullCount(recovered)} of them with success.`;
}

/** Whether a symptom follows a suspect, in words no stronger than the tests. */
export function suspectFinding({ failing, slowness, siblings }: SuspectAnswer, value: string): string {
  const others = plural(siblings.length - 1, 'sibling');
  if (siblings.length < 2) return `${value} has no siblings to compare with.`;
  const shares = `${percent(failing.own)} fail there, ${percent(failing.others)} at its ${others}`;
  const times = `half take ${secondsText(slowness.own)} there, ${secondsText(slowness.others)} elsewhere`;
  const follows = failing.verdict === 'follows';
  const fails =
    failing.verdict === 'too few'
      ? `Too few calls to say whether failing follows ${value}.`
      : `Failing ${follows ? 'follows' : 'does not follow'} ${value}: ${shares}.`;
  if (slowness.verdict === 'too few') return fails;
  const words =
    slowness.verdict === 'follows'
      ? follows
        ? 'So does slowness'
        : 'Slowness does'
      : follows
        ? 'Slowness does not'
        : 'Nor does slowness';
  return `${fails} ${words}: ${times}.`;
}

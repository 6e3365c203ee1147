import type { ContrastAnswer, FeatureBody, SignatureBody, TermBody } from '@flail/contract';
import { figureText } from '../format/figures.js';
import { fullCount, percent, plural } from '../format/numbers.js';

/** What a feature is called, with where it belongs. */
export function featureText({ kind, name, service, slot }: FeatureBody): string {
  const of = service === undefined ? '' : ` of ${service}`;
  switch (kind) {
    case 'calls':
      return `calls of “${name}”${service === undefined ? '' : ` by ${service}`}`;
    case 'time':
      return `time in “${name}”${service === undefined ? '' : ` of ${service}`}`;
    case 'pattern':
      return `the line “${name}”`;
    case 'slot':
      return `value ${slot} of “${name}”`;
    case 'metric':
      return service === undefined ? `${name} of its instance` : `${name} of the ${service} instance`;
    case 'run':
      return `a run of ${name}`;
    case 'field':
      return `${name}${of}`;
  }
}

const listed = (values: readonly string[]): string =>
  values.length <= 1 ? (values[0] ?? '') : `${values.slice(0, -1).join(', ')} or ${values.at(-1)!}`;

/** A term as a part of a sentence: "port is brannay or osprey-rock". */
export function termText({ feature, is, values = [], low, high }: TermBody): string {
  const name = featureText(feature);
  const number = (value: number): string => figureText(value, feature.unit ?? '');
  if (feature.kind === 'run')
    return is === 'absent' ? `beside no run of ${feature.name}` : `beside a run of ${feature.name}`;
  if (feature.kind === 'pattern') return is === 'absent' ? `without ${name}` : `with ${name}`;
  switch (is) {
    case 'in':
      return `${name} is ${listed(values)}`;
    case 'present':
      return `${name} is there`;
    case 'absent':
      return `${name} is not there`;
    case 'range':
      if (low !== undefined && high !== undefined)
        return `${name} from ${number(low)} to below ${number(high)}`;
      return low !== undefined ? `${name} at least ${number(low)}` : `${name} below ${number(high!)}`;
  }
}

export const signatureText = ({ terms }: Pick<SignatureBody, 'terms'>): string =>
  terms.map(termText).join(', and ');

/** What the first cohort is called. */
export function firstName({ items, first }: ContrastAnswer): string {
  if (items === 'runs') return 'runs that went wrong';
  switch (first.outcome) {
    case 'slow':
      return 'slow requests';
    case 'refused':
      return 'refused requests';
    case 'hidden':
      return 'requests in which something broke unseen';
    case 'failed':
      return 'failed requests';
    default:
      return 'requests of the first cohort';
  }
}

const sure: Record<SignatureBody['verdict'], string> = {
  'tells them apart': 'tells them apart from the others',
  'tells most of them apart': 'tells most of them apart from the others',
  'tells a part of them apart': 'tells a part of them apart from the others',
  'is a hint': 'is a hint and no more: it fits many of the others too',
};

/** How far a description fits, never surer than its numbers and its check. */
export function fitText({ coverage, purity, failing, failingAll, verdict, check }: SignatureBody): string {
  const fits = `It fits ${fullCount(failing)} of ${fullCount(failingAll)} (${percent(coverage)}), and ${percent(purity)} of all that it fits are among them`;
  const checked = {
    confirmed: 'confirmed on the third that it was not found on',
    'not confirmed': 'not confirmed on the third that it was not found on',
    'too few to check': 'too few to check it on others than it was found on',
  }[check.verdict];
  return `${fits}: it ${sure[verdict]}; ${checked}.`;
}

/** What the contrast comes to, in a sentence. */
export function contrastFinding(answer: ContrastAnswer): string {
  const { first, second, signatures, differences, lacking, usual } = answer;
  const name = firstName(answer);
  if (first.kept === 0) return `There are no ${name} here, so that there is nothing to tell apart.`;
  if (second.kept === 0)
    return `There is nothing to tell the ${name} apart from: the second cohort is empty.`;
  const [best] = signatures;
  const asEver = usual ? 'No more than in the baseline: ' : '';
  const of = `${asEver}${fullCount(first.kept)} ${name} against ${fullCount(second.kept)} others`;
  if (best)
    return `${of}: ${signatureText(best)}. ${best.verdict === 'is a hint' ? 'That is a hint and no more.' : `That ${sure[best.verdict].replace(' from the others', '')}.`}`;
  const missing = lacking.length === 0 ? '' : ` Not recorded: ${lacking.join('; ')}.`;
  if (differences.length > 0)
    return `${of}: nothing describes them well; ${plural(differences.length, 'thing differs', 'things differ')} more than by chance.${missing}`;
  return `${of}: nothing that is recorded sets them apart.${missing}`;
}

import { isObject, type Unknown } from '../records/objects.js';
import { fieldName } from '../records/fields.js';
import { asText, attributesOf, textOf } from './values.js';

/** Who sent something: the resource of the protocol, under the names that Flail joins on. */
export interface Sender {
  source: string;
  attributes: Record<string, string>;
}

/** The attribute in which an export of Flail's names the source of a record. */
export const OWN_SOURCE = 'flail.source';

/** Attributes of one resource that are kept. */
const MAX_ATTRIBUTES = 64;
const MAX_LENGTH = 500;

/** The place where something runs, in the order in which the conventions' names for it are looked for. */
const SITE = ['site', 'cloud.availability_zone', 'cloud.region', 'k8s.cluster.name', 'deployment.site'];
const INSTANCE = ['service.instance.id', 'k8s.pod.name', 'container.id'];

export function senderOf(resource: unknown): Sender {
  const given = attributesOf(isObject(resource) ? resource.attributes : undefined);
  const attributes: Record<string, string> = {};
  for (const [name, value] of [...given].slice(0, MAX_ATTRIBUTES))
    attributes[fieldName(name)] ??= asText(value).slice(0, MAX_LENGTH);
  const first = (names: readonly string[]): string | undefined => {
    const found = names.map((name) => given.get(name)).find((value) => typeof value === 'string');
    return typeof found === 'string' ? found.slice(0, MAX_LENGTH) : undefined;
  };
  const site = first(SITE);
  if (site !== undefined) attributes.site ??= site;
  const instance = first(INSTANCE);
  if (instance !== undefined) attributes.instance ??= instance;
  // What was exported here goes back to where it was.
  const { [OWN_SOURCE]: own, ...others } = attributes;
  return { source: own || (attributes.service ?? 'otlp'), attributes: others };
}

/** Name of the instrumentation that something comes from; empty where it has none. */
export const scopeName = ({ scope }: Unknown): string => (isObject(scope) ? textOf(scope.name) : '');

import {
  addRunItemFeatures,
  type CohortTable,
  contrastOf,
  Features,
  signaturesOf,
  tellingValues,
} from '@flail/core/contrast';
import type { Run } from '@flail/core/runs';
import { momentText } from '@flail/core/time';
import type { ContrastFound } from './contrast-requests.js';
import { differenceBody, setAsideBody, signatureBody } from './contrast-answer.js';

/** Two cohorts of runs. */
export interface RunsContrastQuestion {
  kind: 'contrast runs';
  first: Run[];
  second: Run[];
}

/** Tells two cohorts of runs apart by what is known of them. */
export function contrastRuns({ first, second }: RunsContrastQuestion): ContrastFound {
  const runs = [...first, ...second];
  const features = new Features(runs.length);
  addRunItemFeatures(features, runs);
  const table: CohortTable = {
    failing: Uint8Array.from(runs, (_, at) => (at < first.length ? 1 : 0)),
    weights: new Float64Array(runs.length).fill(1),
    ids: runs.map(({ id }) => id),
    features: features.build(),
  };
  const isTime = (feature: number): boolean => table.features[feature]!.name.kind === 'time';
  // How much a run that broke off got done says that it broke off.
  const defining = (feature: number): boolean =>
    isTime(feature) || MADE_BY.test(table.features[feature]!.name.name);
  const contrast = contrastOf(table, defining);
  const { signatures, tried } = signaturesOf(table, defining);
  const sizes = { failingAll: first.length, healthyAll: second.length };
  const count = (of: readonly Run[]) => ({ count: of.length, kept: of.length, used: of.length });
  const onset = Math.min(...first.map(({ from }) => from));
  return {
    first: count(first),
    second: count(second),
    ...(first.length > 0 && { wrong: 'failed' as const, onset }),
    path: [...new Set(first.flatMap(({ entity }) => entity.service ?? []))],
    differences: contrast.differences.map((one) => differenceBody(one, table.features, sizes)),
    times: contrastOf(table, (feature) => !isTime(feature)).differences.map((one) =>
      differenceBody(one, table.features, sizes),
    ),
    setAside: setAsideBody(contrast, table.features),
    signatures: signatures.map((one) =>
      signatureBody(one, table.features, {
        ids: table.ids,
        failing: table.failing,
        times: runs.map(({ from }) => momentText(from)),
      }),
    ),
    features: table.features.length,
    tried,
    values: tellingValues(table, contrast),
    lacking: [],
  };
}

const MADE_BY = /^(?:records out|CPU seconds|memory|worker of .*)$/;

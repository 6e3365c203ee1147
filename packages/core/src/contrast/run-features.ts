import type { Run } from '../runs/run.js';
import type { Features } from './features.js';

/** Gathers what is known of runs: parameters, trigger, where they ran, their steps and workers, what they used. */
export function addRunItemFeatures(features: Features, runs: readonly Run[]): void {
  runs.forEach((run, item) => {
    const value = (name: string, told: string | undefined): void => {
      if (told !== undefined && told !== '') features.value({ kind: 'field', name }, item, told);
    };
    const number = (name: string, told: number | undefined, unit = ''): void => {
      if (told !== undefined)
        features.number({ kind: 'field', name, ...(unit !== '' && { unit }) }, item, told);
    };
    for (const [name, told] of Object.entries(run.parameters)) value(name, told);
    for (const [name, told] of Object.entries(run.entity)) value(name, told);
    value('job', run.job);
    value('trigger', run.trigger);
    value('parent', run.parent?.job);
    number('records in', run.usage.recordsIn);
    number('records out', run.usage.recordsOut);
    number('CPU seconds', run.usage.cpuSeconds, 's');
    number('memory', run.usage.memoryBytes, 'By');
    number('workers', run.workers.length);
    for (const { name, worker, from, to } of run.steps) {
      value(`worker of ${name}`, worker);
      if (from !== undefined && to !== undefined)
        features.number({ kind: 'time', name, unit: 's' }, item, (to - from) / 1e6);
    }
    for (const { host } of run.workers) value('host of a worker', host);
  });
}

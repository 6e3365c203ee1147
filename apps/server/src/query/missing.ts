import type { MissingRecords } from '@flail/contract';
import type { Dataset } from '../store/record-store.js';
import type { Effort } from './lane-tasks.js';

export const noEffort = (): Effort => ({
  segments: 0,
  blocks: 0,
  bytes: 0,
  broken: [],
  brokenChunks: 0,
});

/** What an answer about series lacks since blocks of the store are damaged; nothing where it is whole. */
export const missingPoints = ({ brokenChunks }: Effort): { missing?: MissingRecords } =>
  brokenChunks === 0
    ? {}
    : {
        missing: {
          segments: brokenChunks,
          records: 0,
          reason: `${brokenChunks} stored blocks of measurements are damaged; their points are left out.`,
        },
      };

/** What an answer lacks since blocks of the store are damaged; nothing where it is whole. */
export function missingBody(dataset: Dataset, { broken }: Effort): { missing?: MissingRecords } {
  if (broken.length === 0) return {};
  const ids = new Set(broken.map(({ segment }) => segment));
  const records = dataset.segments.reduce((sum, { id, count }) => sum + (ids.has(id) ? count : 0), 0);
  const columns = [...new Set(broken.map(({ column }) => column))].join(', ');
  return {
    missing: {
      segments: ids.size,
      records,
      reason: `Stored blocks are damaged (${columns}); the records beside them are left out. "npm run flail -- check" tells more.`,
    },
  };
}

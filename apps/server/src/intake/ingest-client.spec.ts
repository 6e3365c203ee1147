import { StuckTaskError } from '../platform/worker-pool.js';
import { type IngestFailure, IngestClient } from './ingest-client.js';

describe('a worker that takes in lines', () => {
  it('is given up when it does not come back in time, with the batch that it was reading', async () => {
    let report: (failed: [Error, IngestFailure]) => void;
    const failed = new Promise<[Error, IngestFailure]>((resolve) => (report = resolve));
    // Long before it has even started.
    const client = new IngestClient(
      () => Promise.resolve(),
      (error, failure) => report([error, failure]),
      1,
    );
    client.announce({ kind: 'dataset', dataset: 'live', shapes: [], layouts: [] });
    for (const id of [7, 8]) {
      client.open('live', { id, context: 0, service: 's', format: 'auto', arrival: 0, skip: 0 });
      client.push('live', id, new Uint8Array([120, 10]), 0).catch(() => undefined);
    }
    const [error, failure] = await failed;
    await client.end();
    expect(error).toBeInstanceOf(StuckTaskError);
    expect(failure).toEqual({ culprit: 7 });
  });

  it('tells who waits for it when it is ended', async () => {
    const client = new IngestClient(
      () => Promise.resolve(),
      () => undefined,
    );
    client.announce({ kind: 'dataset', dataset: 'live', shapes: [], layouts: [] });
    client.open('live', { id: 1, context: 0, service: 's', format: 'auto', arrival: 0, skip: 0 });
    const closing = client.close('live', 1, 0).catch((error: unknown) => error);
    await client.end();
    expect(await closing).toBeInstanceOf(Error);
  });
});

import { isoTime } from '../world/clock.js';
import type { ChangeEvent, RunEvent } from '../world/signals.js';

/** A batch of CloudEvents. */
export const changesBody = (changes: readonly ChangeEvent[]): string =>
  JSON.stringify(
    changes.map(({ id, source, type, at, data }) => ({
      specversion: '1.0',
      id,
      source,
      type,
      time: isoTime(at),
      datacontenttype: 'application/json',
      data,
    })),
  );

const PRODUCER = 'urn:kittiwake:scheduler';
const SCHEMA = 'https://openlineage.io/spec/2-0-2/OpenLineage.json#/$defs/RunEvent';
/** Facets that the standard does not know are described in the documents of the receiver. */
const FACETS = 'urn:flail:run-facets:1';

/** A batch of OpenLineage run events. */
export const runsBody = (runs: readonly RunEvent[]): string =>
  JSON.stringify(
    runs.map(({ runId, job, at, type, facets }) => ({
      eventType: type,
      eventTime: isoTime(at),
      run: {
        runId,
        facets: Object.fromEntries(
          Object.entries(facets).map(([name, facet]) => [
            name,
            { _producer: PRODUCER, _schemaURL: FACETS, ...(facet as object) },
          ]),
        ),
      },
      job: { namespace: 'kittiwake', name: job },
      producer: PRODUCER,
      schemaURL: SCHEMA,
    })),
  );

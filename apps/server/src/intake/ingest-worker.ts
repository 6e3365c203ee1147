import { Ingest, SEGMENT_RECORDS } from '@flail/core';
import { parentPort } from 'node:worker_threads';
import { memoryOf } from '../store/buffers.js';
import { zstdCodec } from '../store/codec.js';
import type { FromIngest, ToIngest } from './ingest-messages.js';

/** Records wait this long for company before they are sealed, once their batch is complete. */
const COMPLETE_WAIT_MS = 20;
/** Records of an unfinished batch wait this long. */
const OPEN_WAIT_MS = 1000;
/** Sealed segments on their way to the disk; beyond that the worker stops sealing. */
const MAX_UNSTORED = 4;

const datasets = new Map<string, Ingest>();
let unstored = 0;
let timer: NodeJS.Timeout | undefined;
let due = Infinity;

const send = (message: FromIngest, transfer: ArrayBuffer[] = []): void =>
  parentPort!.postMessage(message, transfer);

function seal(dataset: string, ingest: Ingest): void {
  const sealed = ingest.seal();
  if (!sealed) return;
  unstored++;
  send({ kind: 'sealed', dataset, sealed }, [...sealed.columns.values()].flatMap(memoryOf));
}

function sealFull(): void {
  for (const [dataset, ingest] of datasets) {
    while (ingest.waiting >= SEGMENT_RECORDS && unstored < MAX_UNSTORED) seal(dataset, ingest);
  }
}

function sealAll(): void {
  timer = undefined;
  due = Infinity;
  for (const [dataset, ingest] of datasets) {
    while (ingest.waiting > 0 && unstored < MAX_UNSTORED) seal(dataset, ingest);
    if (ingest.waiting > 0) sealSoon(COMPLETE_WAIT_MS);
  }
}

/** Sees to it that waiting records are sealed within a time. */
function sealSoon(wait: number): void {
  const at = Date.now() + wait;
  if (at >= due) return;
  if (timer) clearTimeout(timer);
  due = at;
  timer = setTimeout(sealAll, wait);
}

function handle(message: ToIngest): void {
  if (message.kind === 'stored') {
    unstored--;
    sealFull();
    return;
  }
  if (message.kind === 'dataset') {
    datasets.set(message.dataset, new Ingest(zstdCodec, message.shapes, message.layouts, 0));
    return;
  }
  const ingest = datasets.get(message.dataset);
  if (!ingest) throw new Error(`The data set ${message.dataset} was not announced.`);
  switch (message.kind) {
    case 'open':
      ingest.open(message.start);
      break;
    case 'push':
      ingest.push(message.batch, message.bytes, message.firstSeq);
      send({ kind: 'pushed', batch: message.batch, length: message.bytes.length });
      sealFull();
      if (ingest.waiting > 0) sealSoon(OPEN_WAIT_MS);
      break;
    case 'chunk': {
      const chunk = ingest.pushChunk(message.batch, message.bytes, message.chunk);
      send({ kind: 'pushed', batch: message.batch, length: message.bytes.length, chunk });
      sealFull();
      if (ingest.waiting > 0) sealSoon(OPEN_WAIT_MS);
      break;
    }
    case 'close':
      send({ kind: 'closed', batch: message.batch, result: ingest.close(message.batch, message.firstSeq) });
      if (ingest.waiting > 0) sealSoon(COMPLETE_WAIT_MS);
      break;
  }
}

parentPort!.on('message', handle);

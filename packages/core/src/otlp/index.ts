export { logLines, type Read, type SenderLines, spanLines } from './lines.js';
export { type JsonLines, jsonLines } from './json-lines.js';
export { metricPoints } from './points.js';
export { type Sender } from './resource.js';
export { encodeRequest, encodeResponse, type Signal } from './schema.js';
export { readJson } from './slices.js';
export { decodeRequest, WireError } from './wire.js';

export { type Call, callsOf, type SpanPart, spanParts } from './calls.js';

export { layersOf, type MapPlace } from './layers.js';
export { type Call, callsOf, type SpanPart, spanParts } from './calls.js';

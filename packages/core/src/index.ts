export { type Codec } from './codec/codec.js';
export { decodeUtf8 } from './codec/bytes.js';
export { csvLine } from './export/csv.js';
export { Redactor, SHORTEST_REDACTED } from './export/redactor.js';
export { type RecordFormat, recordTexts, USUAL_COLUMNS } from './export/record-texts.js';
export { type Correction } from './grouping/correction.js';
export { Grouping, type Pattern, Patterns, slotForm, workOut, type Worked } from './grouping/grouping.js';
export { type Join } from './grouping/group-layouts.js';
export { Identities } from './grouping/identity.js';
export { type Mark, MARK_KINDS, MARK_WEIGHTS, type MarkKind, marksAt } from './grouping/mark.js';
export { type SentencePart, sentenceOf, type SlotPlace } from './grouping/slots.js';
export { type CarriedRecord, carriedLine, carriedRecord } from './intake/carried.js';
export { type CsvColumns, guessColumns } from './intake/csv.js';
export { binaryKind, detectFormat } from './intake/detect.js';
export { framed, messagesIn } from './intake/framed.js';
export { BlockCutter } from './intake/blocks.js';
export {
  type BatchResult,
  type BatchStart,
  type ChunkResult,
  type ChunkStart,
  Ingest,
  type Sealed,
  type Sender,
} from './intake/ingest.js';
export { type Problem } from './intake/log-parser.js';
export { type Head, HEAD_KINDS, type HeadKind } from './intake/head.js';
export { type Preview, previewOf } from './intake/preview.js';
export { type Layout } from './patterns/layout.js';
export { type SlotType, SLOT_NAMES } from './patterns/scanner.js';
export { type Change, type Spans } from './patterns/surprise.js';
export { type CountKey, partsOfKey, type Splits } from './query/count-keys.js';
export { edgesOf, excessOf } from './query/excess.js';
export { evaluate, type PatternLookup, type PatternRecords, select } from './query/evaluate.js';
export { holds, type Rows, rowsOfSelection, type Selection } from './query/selection.js';
export { ALL, type Condition, ExpressionError, parseExpression, parseQuery } from './query/expression.js';
export {
  type FieldDifference,
  fieldDifferences,
  type Shift,
  type ValueDifference,
} from './query/differences.js';
export { addFieldCounts, countFields, type FieldCounts } from './query/field-counts.js';
export { MAX_EVENTS, type Regularity, regularityOf } from './query/regularity.js';
export { slotOfField, type SlotPlaces } from './query/row-values.js';
export { type Step, type Summary } from './query/steps.js';
export {
  addSummary,
  type Column,
  emptySummary,
  type PartialSummary,
  rekeyed,
  stepsIn,
  summarise,
  summaryTable,
  type Table,
} from './query/summary.js';
export { applyStep, UnknownColumnError } from './query/table-steps.js';
export {
  addAllCounts,
  addAllHistory,
  countHistory,
  countLayouts,
  type LayoutCounts,
  type LayoutHistory,
  stretchOf,
} from './query/pattern-counts.js';
export {
  layoutsToLookBack,
  PATTERN_ORDERS,
  type PatternOrder,
  type PatternRow,
  patternTable,
  splitId,
  splitPlaces,
} from './query/pattern-table.js';
export {
  addPackedCounts,
  addPackedHistories,
  packCounts,
  type PackedCounts,
  type PackedHistories,
  packHistories,
} from './query/packed-counts.js';
export { filterOf, type Noise, type NoiseCell, noiseOf, noiseTogether } from './query/noise.js';
export { countSteps } from './query/pattern-steps.js';
export { recordsOfPattern } from './query/pattern-refs.js';
export {
  countIn,
  type Hit,
  type Hits,
  mergeHits,
  type Order,
  type Place,
  searchSegments,
} from './query/search.js';
export { countValues, type ValueCounts } from './query/values.js';
export { addVolume, emptyVolume, type Volume, volumeOf } from './query/volume.js';
export { overlaps, rowsOf, type Window } from './query/window.js';
export { RECORD_FIELDS } from './records/fields.js';
export { LEVELS } from './records/levels.js';
export { type FormatName, FORMATS, type Shape } from './records/shape.js';
export { BrokenBlockError, openBlock, sealBlock } from './segments/block.js';
export { buildSegment, type BuiltSegment, type SegmentRecord } from './segments/builder.js';
export { type LineOfRow, linesOf } from './segments/lines.js';
export { type KeptFrom, recordsKept, recordsOf } from './segments/merge.js';
export { type Context, SEGMENT_RECORDS, SEGMENT_VERSION, type SegmentSummary } from './segments/segment.js';
export { type Catalog, type ColumnCache, SegmentView } from './segments/view.js';

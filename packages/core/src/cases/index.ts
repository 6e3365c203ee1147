export {
  type Cause,
  type CauseKind,
  type Certainty,
  conclude,
  type Conclusion,
  type Evidence,
} from './conclude.js';
export { type Finding, type FindingKind, findingText } from './findings.js';
export { type Recovery, recoveryOf, type StepCount } from './recovery.js';
export { type Remembered, type SimilarCase, similarCases } from './similar.js';
export { chartSvg, type ReportChart } from './chart-svg.js';
export { type ReportCase, reportMarkdown, STAGES } from './report.js';

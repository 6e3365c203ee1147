import protobuf from 'protobufjs';

/** What the fleet sends of the open protocol, by the numbers that the protocol gives it. */
const MESSAGES = `
syntax = "proto3";

message Value { oneof value { string string_value = 1; bool bool_value = 2; int64 int_value = 3; double double_value = 4; } }
message Attribute { string key = 1; Value value = 2; }
message Resource { repeated Attribute attributes = 1; }
message Scope { string name = 1; }

message Traces { repeated ResourceSpans resource_spans = 1; }
message ResourceSpans { Resource resource = 1; repeated ScopeSpans scope_spans = 2; }
message ScopeSpans { Scope scope = 1; repeated Span spans = 2; }
message Span {
  bytes trace_id = 1;
  bytes span_id = 2;
  bytes parent_span_id = 4;
  string name = 5;
  int32 kind = 6;
  fixed64 start_time_unix_nano = 7;
  fixed64 end_time_unix_nano = 8;
  repeated Attribute attributes = 9;
  repeated Event events = 11;
  Status status = 15;
}
message Event { fixed64 time_unix_nano = 1; string name = 2; repeated Attribute attributes = 3; }
message Status { string message = 2; int32 code = 3; }

message Metrics { repeated ResourceMetrics resource_metrics = 1; }
message ResourceMetrics { Resource resource = 1; repeated ScopeMetrics scope_metrics = 2; }
message ScopeMetrics { Scope scope = 1; repeated Metric metrics = 2; }
message Metric {
  string name = 1;
  string unit = 3;
  oneof data { Gauge gauge = 5; Sum sum = 7; Histogram histogram = 9; }
}
message Gauge { repeated Point data_points = 1; }
message Sum { repeated Point data_points = 1; int32 aggregation_temporality = 2; bool is_monotonic = 3; }
message Histogram { repeated HistogramPoint data_points = 1; int32 aggregation_temporality = 2; }
message Point {
  fixed64 time_unix_nano = 3;
  double as_double = 4;
  repeated Exemplar exemplars = 5;
  repeated Attribute attributes = 7;
}
message HistogramPoint {
  fixed64 time_unix_nano = 3;
  fixed64 count = 4;
  double sum = 5;
  repeated fixed64 bucket_counts = 6;
  repeated double explicit_bounds = 7;
  repeated Exemplar exemplars = 8;
  repeated Attribute attributes = 9;
}
message Exemplar { fixed64 time_unix_nano = 2; double as_double = 3; bytes span_id = 4; bytes trace_id = 5; }
`;

const { root } = protobuf.parse(MESSAGES);

/** A request as it was sent, with 64 bits as digits and identifiers in base64. */
export const otlpIn = (name: 'Traces' | 'Metrics', bytes: Uint8Array): object => {
  const type = root.lookupType(name);
  return type.toObject(type.decode(bytes), { longs: String, bytes: String });
};

import protobuf from 'protobufjs';

/**
 * The messages of the OpenTelemetry protocol, version 1, as far as they are read: what is not named here is
 * skipped, as protocol buffers have it.
 */
const MESSAGES = `
syntax = "proto3";

message AnyValue {
  oneof value {
    string string_value = 1;
    bool bool_value = 2;
    int64 int_value = 3;
    double double_value = 4;
    ArrayValue array_value = 5;
    KeyValueList kvlist_value = 6;
    bytes bytes_value = 7;
  }
}
message ArrayValue { repeated AnyValue values = 1; }
message KeyValueList { repeated KeyValue values = 1; }
message KeyValue { string key = 1; AnyValue value = 2; }
message Resource { repeated KeyValue attributes = 1; }
message Scope { string name = 1; string version = 2; repeated KeyValue attributes = 3; }

message LogsRequest { repeated ResourceLogs resource_logs = 1; }
message ResourceLogs { Resource resource = 1; repeated ScopeLogs scope_logs = 2; }
message ScopeLogs { Scope scope = 1; repeated LogRecord log_records = 2; }
message LogRecord {
  fixed64 time_unix_nano = 1;
  fixed64 observed_time_unix_nano = 11;
  int32 severity_number = 2;
  string severity_text = 3;
  AnyValue body = 5;
  repeated KeyValue attributes = 6;
  bytes trace_id = 9;
  bytes span_id = 10;
  string event_name = 12;
}

message TracesRequest { repeated ResourceSpans resource_spans = 1; }
message ResourceSpans { Resource resource = 1; repeated ScopeSpans scope_spans = 2; }
message ScopeSpans { Scope scope = 1; repeated Span spans = 2; }
message Span {
  bytes trace_id = 1;
  bytes span_id = 2;
  string trace_state = 3;
  bytes parent_span_id = 4;
  string name = 5;
  int32 kind = 6;
  fixed64 start_time_unix_nano = 7;
  fixed64 end_time_unix_nano = 8;
  repeated KeyValue attributes = 9;
  repeated Event events = 11;
  repeated Link links = 13;
  Status status = 15;
}
message Event { fixed64 time_unix_nano = 1; string name = 2; repeated KeyValue attributes = 3; }
message Link { bytes trace_id = 1; bytes span_id = 2; repeated KeyValue attributes = 4; }
message Status { string message = 2; int32 code = 3; }

message MetricsRequest { repeated ResourceMetrics resource_metrics = 1; }
message ResourceMetrics { Resource resource = 1; repeated ScopeMetrics scope_metrics = 2; }
message ScopeMetrics { Scope scope = 1; repeated Metric metrics = 2; }
message Metric {
  string name = 1;
  string description = 2;
  string unit = 3;
  oneof data {
    Gauge gauge = 5;
    Sum sum = 7;
    Histogram histogram = 9;
    ExponentialHistogram exponential_histogram = 10;
    Summary summary = 11;
  }
}
message Gauge { repeated NumberPoint data_points = 1; }
message Sum { repeated NumberPoint data_points = 1; int32 aggregation_temporality = 2; bool is_monotonic = 3; }
message Histogram { repeated HistogramPoint data_points = 1; int32 aggregation_temporality = 2; }
message ExponentialHistogram { repeated ExponentialPoint data_points = 1; int32 aggregation_temporality = 2; }
message Summary { repeated SummaryPoint data_points = 1; }
message NumberPoint {
  repeated KeyValue attributes = 7;
  fixed64 start_time_unix_nano = 2;
  fixed64 time_unix_nano = 3;
  oneof value { double as_double = 4; sfixed64 as_int = 6; }
  repeated Exemplar exemplars = 5;
  uint32 flags = 8;
}
message HistogramPoint {
  repeated KeyValue attributes = 9;
  fixed64 start_time_unix_nano = 2;
  fixed64 time_unix_nano = 3;
  fixed64 count = 4;
  optional double sum = 5;
  repeated fixed64 bucket_counts = 6;
  repeated double explicit_bounds = 7;
  repeated Exemplar exemplars = 8;
  uint32 flags = 10;
  optional double min = 11;
  optional double max = 12;
}
message ExponentialPoint {
  repeated KeyValue attributes = 1;
  fixed64 start_time_unix_nano = 2;
  fixed64 time_unix_nano = 3;
  fixed64 count = 4;
  optional double sum = 5;
  sint32 scale = 6;
  fixed64 zero_count = 7;
  Buckets positive = 8;
  Buckets negative = 9;
  uint32 flags = 10;
  repeated Exemplar exemplars = 11;
  optional double min = 12;
  optional double max = 13;
  double zero_threshold = 14;
}
message Buckets { sint32 offset = 1; repeated uint64 bucket_counts = 2; }
message SummaryPoint {
  repeated KeyValue attributes = 7;
  fixed64 start_time_unix_nano = 2;
  fixed64 time_unix_nano = 3;
  fixed64 count = 4;
  double sum = 5;
  repeated Quantile quantile_values = 6;
  uint32 flags = 8;
}
message Quantile { double quantile = 1; double value = 2; }
message Exemplar {
  repeated KeyValue filtered_attributes = 7;
  fixed64 time_unix_nano = 2;
  oneof value { double as_double = 3; sfixed64 as_int = 6; }
  bytes span_id = 4;
  bytes trace_id = 5;
}

message Response { PartialSuccess partial_success = 1; }
message PartialSuccess { int64 rejected = 1; string error_message = 2; }
`;

export type Signal = 'logs' | 'traces' | 'metrics';

const REQUEST: Record<Signal, string> = {
  logs: 'LogsRequest',
  traces: 'TracesRequest',
  metrics: 'MetricsRequest',
};

const { root } = protobuf.parse(MESSAGES);

/** What is known of the requests of a signal. */
export const requestType = (signal: Signal): protobuf.Type => root.lookupType(REQUEST[signal]);

/** Writes the answer to a request in protocol buffers; rejected items, and why, make it a partial success. */
export function encodeResponse(rejected: number, message: string): Uint8Array {
  const type = root.lookupType('Response');
  const partial =
    rejected > 0 || message !== '' ? { partialSuccess: { rejected, errorMessage: message } } : {};
  return type.encode(type.fromObject(partial)).finish();
}

/** Writes a request; for tests and senders. */
export function encodeRequest(signal: Signal, body: object): Uint8Array {
  const type = requestType(signal);
  return type.encode(type.fromObject(body)).finish();
}

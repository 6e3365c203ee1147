/** Formats of lines, and what they are called. */
export const FORMATS = [
  { value: 'json', label: 'JSON lines' },
  { value: 'logfmt', label: 'logfmt' },
  { value: 'access', label: 'access log' },
  { value: 'syslog', label: 'syslog' },
  { value: 'csv', label: 'CSV' },
  { value: 'plain', label: 'plain text' },
];

/** A column of the list of lines beside level, time and text: a field, and its width in pixels. */
export interface Column {
  field: string;
  width: number;
}

const USUAL_WIDTH = 130;
const NARROWEST = 48;
const WIDEST = 600;
export const USUAL_COLUMNS: readonly Column[] = [{ field: 'service', width: USUAL_WIDTH }];

/** Columns as they stand in the address: `service:130,route:90`. */
export const columnsText = (columns: readonly Column[]): string =>
  columns.map(({ field, width }) => `${encodeURIComponent(field)}:${Math.round(width)}`).join(',');

export function columnsOf(text: string): Column[] {
  if (text === '') return [...USUAL_COLUMNS];
  if (text === 'none') return [];
  const found: Column[] = [];
  for (const part of text.split(',')) {
    const [field, width] = part.split(':');
    const name = safely(field ?? '');
    if (name === '' || found.some((column) => column.field === name)) continue;
    found.push({ field: name, width: Math.min(WIDEST, Math.max(NARROWEST, Number(width) || USUAL_WIDTH)) });
  }
  return found;
}

function safely(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return '';
  }
}

/** Adds a column, or takes it away where it is there. */
export function toggled(columns: readonly Column[], field: string): Column[] {
  return columns.some((column) => column.field === field)
    ? columns.filter((column) => column.field !== field)
    : [...columns, { field, width: USUAL_WIDTH }];
}

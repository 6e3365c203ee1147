import type { Transaction } from 'sequelize';
import type { Model, ModelCtor } from 'sequelize-typescript';

/** Values of one statement; the database takes 32,766 of them. */
const VALUES_AT_ONCE = 2000;

/** A moment as the database keeps it. */
export const dateText = (date: Date): string => date.toISOString().replace('T', ' ').replace('Z', ' +00:00');

/**
 * Stores rows, many with one statement, their values bound: a model's own way makes a statement for each row, or
 * text of all that is in them.
 */
export async function insertRows<Row extends object>(
  model: ModelCtor<Model>,
  rows: readonly Row[],
  names: readonly (keyof Row & string)[],
  transaction: Transaction,
  /** Columns by which a row is known; one that is there already is written over. */
  known: readonly (keyof Row & string)[] = [],
): Promise<void> {
  const attributes = model.getAttributes();
  const fieldOf = (name: string): string => `\`${attributes[name]!.field}\``;
  const fields = names.map(fieldOf).join(', ');
  const others = names.filter((name) => !known.includes(name));
  const conflict =
    known.length === 0
      ? ''
      : ` ON CONFLICT (${known.map(fieldOf).join(', ')}) DO UPDATE SET ${others
          .map((name) => `${fieldOf(name)} = excluded.${fieldOf(name)}`)
          .join(', ')}`;
  const atOnce = Math.max(1, Math.floor(VALUES_AT_ONCE / names.length));
  for (let start = 0; start < rows.length; start += atOnce) {
    const bind: unknown[] = [];
    const places = rows.slice(start, start + atOnce).map((row) => {
      const own = names.map((name) => `$${bind.push(row[name])}`);
      return `(${own.join(', ')})`;
    });
    await model.sequelize!.query(
      `INSERT INTO \`${model.tableName}\` (${fields}) VALUES ${places.join(', ')}${conflict}`,
      { bind, transaction },
    );
  }
}

import { type CsvColumns, FORMATS, type FormatName } from '@flail/core';
import { plainToInstance, Type } from 'class-transformer';
import {
  ArrayMaxSize,
  Equals,
  IsArray,
  IsIn,
  IsInt,
  IsNotEmpty,
  IsObject,
  IsOptional,
  IsString,
  MaxLength,
  Min,
  validate,
  ValidateNested,
} from 'class-validator';
import type { MissingRecords } from '@flail/contract';
import { badRequest } from '../problems/problem.js';

/** Name of the manifest in a bundle. */
export const MANIFEST = 'manifest.json';
export const VERSION = 1;
/** Name of the case that a bundle may carry. */
export const CASE = 'case.json';
export const MAX_VIEW = 4000;

/** Records of one source, and who sent them. */
export class RecordsFile {
  @IsString()
  @IsNotEmpty()
  file!: string;

  @IsIn(['logs', 'spans'])
  signal!: 'logs' | 'spans';

  @IsString()
  @IsNotEmpty()
  @MaxLength(200)
  source!: string;

  @IsIn(FORMATS)
  format!: FormatName;

  @IsOptional()
  @IsObject()
  columns?: CsvColumns;

  /** What each sender declared of itself; records name theirs by its place. */
  @IsArray()
  @IsObject({ each: true })
  senders!: Record<string, string>[];

  @IsInt()
  @Min(0)
  records!: number;
}

/** What a bundle holds beside files that speak for themselves. */
export class Manifest {
  /** What it lacks since blocks of the store that it was made from are damaged. */
  @IsOptional()
  @IsObject()
  missing?: MissingRecords;

  /** Version of the form of bundles. */
  @Equals(VERSION)
  flail!: typeof VERSION;

  @IsString()
  @IsNotEmpty()
  @MaxLength(200)
  name!: string;

  /** When it was made, RFC 3339. */
  @IsString()
  made!: string;

  /** Windows and scope that it was made for, as parameters of a view. */
  @IsOptional()
  @IsString()
  @MaxLength(MAX_VIEW)
  view?: string;

  @IsArray()
  @ArrayMaxSize(100_000)
  @ValidateNested({ each: true })
  @Type(() => RecordsFile)
  records!: RecordsFile[];
}

/** Reads a manifest. Throws on what is none. */
export async function manifestOf(text: string): Promise<Manifest> {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch (error) {
    throw badRequest('manifest', `${MANIFEST} is no JSON: ${error instanceof Error ? error.message : ''}.`);
  }
  if (typeof json !== 'object' || json === null || Array.isArray(json))
    throw badRequest('manifest', `${MANIFEST} is no object.`);
  const manifest = plainToInstance(Manifest, json);
  const faults = await validate(manifest);
  if (faults.length === 0) return manifest;
  const words = faults.flatMap(({ property, constraints, children }) =>
    children && children.length > 0
      ? children.map((child) => `${property}[${child.property}] is not as it should be`)
      : Object.values(constraints ?? {}),
  );
  throw badRequest('manifest', `${MANIFEST} can not be used: ${words.slice(0, 5).join('; ')}.`);
}

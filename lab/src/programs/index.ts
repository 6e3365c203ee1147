import type { Program } from '../program.js';
import { PYTHON_PROGRAMS } from './python.js';
import { SERVERS } from './servers.js';

/** The programs whose lines can be recorded with their statements. */
export const PROGRAMS: readonly Program[] = [...SERVERS, ...PYTHON_PROGRAMS];

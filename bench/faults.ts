import { masses } from './faults/masses.js';

const [only = ''] = process.argv.slice(2);
for (const attack of masses) {
  if (!attack.name.includes(only)) continue;
  try {
    const { held, what } = await attack.run();
    console.log(`${held ? 'held ' : 'BROKE'} ${attack.name}: ${what}`);
  } catch (error) {
    console.log(`BROKE ${attack.name}: ${error instanceof Error ? error.message : String(error)}`);
  }
}

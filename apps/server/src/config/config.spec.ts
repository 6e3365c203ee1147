import { configOf, SETTINGS, settingsHelp } from './config.js';

describe('settings', () => {
  it('have defaults that work', () => {
    expect(configOf({})).toMatchObject({ port: 4180, host: '127.0.0.1' });
  });

  it.each([
    ['FLAIL_PORT', 'x'],
    ['FLAIL_PORT', '70000'],
    ['FLAIL_QUERY_LANES', '0'],
    ['FLAIL_CACHE_MB', '1.5'],
  ])('%s=%s is refused by name', (name, value) => {
    expect(() => configOf({ [name]: value })).toThrow(name);
  });

  it('are all explained', () => {
    for (const { name } of SETTINGS) expect(settingsHelp()).toContain(name);
  });
});

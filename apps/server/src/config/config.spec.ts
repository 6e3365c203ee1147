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
    ['FLAIL_SERIES_DAYS', 'a year'],
    ['FLAIL_SCRAPE', 'http://127.0.0.1:9100/metrics'],
    ['FLAIL_SCRAPE', 'gate=ftp://here'],
  ])('%s=%s is refused by name', (name, value) => {
    expect(() => configOf({ [name]: value })).toThrow(name);
  });

  it('name pages to be fetched', () => {
    const { scrape } = configOf({ FLAIL_SCRAPE: 'gate=http://h:1/m, tide=https://h/x?a=b' });
    expect(scrape).toEqual([
      { service: 'gate', url: 'http://h:1/m' },
      { service: 'tide', url: 'https://h/x?a=b' },
    ]);
  });

  it('are all explained', () => {
    for (const { name } of SETTINGS) expect(settingsHelp()).toContain(name);
  });
});

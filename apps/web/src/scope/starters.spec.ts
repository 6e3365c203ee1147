import type { SourceSummary } from '@flail/contract';
import { checkExpression } from '@flail/core/expression';
import { noteScope, scopeHistory } from './history.js';
import { startersFor } from './starters.js';

const source = (name: string, format: string, levels: SourceSummary['levels']): SourceSummary =>
  ({ name, format, levels, signal: 'logs' }) as unknown as SourceSummary;

describe('starter questions', () => {
  it('fit what is sent, and can all be asked', () => {
    const starters = startersFor([
      source('edge', 'access', {}),
      source('quay', 'json', { debug: 9, error: 2 }),
      source('the "odd" one', 'plain', { error: 5 }),
    ]);
    const scopes = starters.map(({ scope }) => scope);
    expect(scopes).toContain('status >= 500');
    expect(scopes).toContain('level >= info');
    expect(scopes.filter((scope) => scope.startsWith('source'))).toHaveLength(2);
    for (const scope of scopes) expect(checkExpression(scope)).toBeUndefined();
    expect(startersFor([])).toHaveLength(2);
  });
});

describe('scopes used before', () => {
  beforeEach(() => localStorage.clear());

  it('are kept, the last first, each once', () => {
    for (const scope of ['a', 'b', 'a', ' ']) noteScope(scope);
    expect(scopeHistory()).toEqual(['a', 'b']);
    for (let index = 0; index < 30; index++) noteScope(`scope ${index}`);
    expect(scopeHistory()).toHaveLength(12);
  });

  it('are none where the browser keeps nonsense', () => {
    localStorage.setItem('flail.scopes', '{');
    expect(scopeHistory()).toEqual([]);
  });
});

const KEY = 'flail.scopes';
const KEPT = 12;

/** Scopes that were used in this browser, the last first. */
export function scopeHistory(): string[] {
  try {
    const kept = JSON.parse(localStorage.getItem(KEY) ?? '[]') as unknown;
    return Array.isArray(kept) ? kept.filter((one) => typeof one === 'string') : [];
  } catch {
    return [];
  }
}

/** Notes that a scope was used. */
export function noteScope(scope: string): void {
  if (scope.trim() === '') return;
  const next = [scope, ...scopeHistory().filter((one) => one !== scope)].slice(0, KEPT);
  try {
    localStorage.setItem(KEY, JSON.stringify(next));
  } catch {
    // A browser that keeps nothing has no history; everything else works.
  }
}

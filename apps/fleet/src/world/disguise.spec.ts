import { drawDisguise } from './disguise.js';
import { Random } from './random.js';

describe('a disguise', () => {
  const disguise = drawDisguise(new Random('a'));

  it('gives one name everywhere the same other one, and leaves the form of texts alone', () => {
    const line = disguise('ts=2026-03-02T18:00:00Z level=warn instance=berth-allocator-2 msg="lease lost"');
    expect(line).toMatch(/^ts=2026-03-02T18:00:00Z level=warn instance=[a-z]+-[a-z]+-2 msg="[a-z]+ lost"$/);
    const service = disguise('berth-allocator');
    expect(line).toContain(`${service}-2`);
    // A name that begins with another is one of its own.
    expect(disguise('manifest-writer')).not.toContain(disguise('manifest'));
    expect(disguise('{"pass":"P-1","released":1}')).toBe('{"pass":"P-1","released":1}');
  });

  it('is another one for another seed', () => {
    expect(drawDisguise(new Random('b'))('berth-allocator')).not.toBe(disguise('berth-allocator'));
    expect(drawDisguise(new Random('a'))('berth-allocator')).toBe(disguise('berth-allocator'));
  });
});

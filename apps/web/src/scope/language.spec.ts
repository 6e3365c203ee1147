import { CompletionContext } from '@codemirror/autocomplete';
import { EditorState } from '@codemirror/state';
import { complete } from './language.js';

const completions = {
  fields: () => Promise.resolve(['level', 'service', 'status']),
  values: (field: string) =>
    Promise.resolve(
      field === 'service'
        ? [
            { value: 'gate-edge', count: 900 },
            { value: 'two words', count: 5 },
          ]
        : [],
    ),
};

async function offered(
  text: string,
  explicit = false,
): Promise<{ from: number; labels: string[]; applied: unknown[] } | null> {
  const context = new CompletionContext(EditorState.create({ doc: text }), text.length, explicit);
  const result = await complete(context, completions);
  return (
    result && {
      from: result.from,
      labels: result.options.map(({ label }) => label),
      applied: result.options.map(({ apply }) => apply),
    }
  );
}

describe('completion', () => {
  it('offers fields and words of the language where a condition begins', async () => {
    const found = (await offered('level = error and se'))!;
    expect(found.from).toBe(18);
    expect(found.labels).toEqual(expect.arrayContaining(['service', 'status', 'not']));
    expect(found.applied).toContain('service = ');
  });

  it.each([
    'service = ',
    'service=ga',
    'service != "ga',
    'service in (',
    'service in (gate-edge, t',
    'level = error and service = g',
  ])('offers values behind %j', async (text) => {
    const found = (await offered(text))!;
    expect(found.labels).toEqual(['gate-edge', 'two words']);
    expect(found.applied).toEqual(['gate-edge', '"two words"']);
  });

  it('offers nothing unasked between conditions', async () => {
    expect(await offered('level = error ')).toBeNull();
    expect(await offered('')).toBeNull();
    expect((await offered('', true))!.labels).toContain('level');
  });
});

import type { CompletionContext, CompletionResult } from '@codemirror/autocomplete';
import { HighlightStyle, LanguageSupport, LRLanguage, syntaxHighlighting } from '@codemirror/language';
import { type Diagnostic, linter } from '@codemirror/lint';
import { checkExpression, expressionParser, quoteValue } from '@flail/core/expression';
import { styleTags, tags } from '@lezer/highlight';

const language = LRLanguage.define({
  parser: expressionParser.configure({
    props: [
      styleTags({
        'Field/Word': tags.propertyName,
        Operator: tags.operator,
        Keyword: tags.keyword,
        String: tags.string,
        'Value/Word': tags.string,
        'Text/Word': tags.string,
      }),
    ],
  }),
});

const colours = HighlightStyle.define([
  { tag: tags.propertyName, color: 'var(--ink)', fontWeight: '600' },
  { tag: tags.operator, color: 'var(--ink-faint)' },
  { tag: tags.keyword, color: 'var(--focus)' },
  { tag: tags.string, color: 'var(--ink)' },
]);

/** Where completions come from: names of fields, and the commonest values of one. */
export interface Completions {
  fields: () => Promise<string[]>;
  values: (field: string) => Promise<{ value: string; count: number }[]>;
}

const WORDS = ['and', 'or', 'not', 'in', 'is present', 'is absent'];
/** A field, then an operator or `in (…`, then the beginning of a value. */
const VALUE = /([^\s()",=!<>~]+)\s*(?:!?=|[<>]=?|\bin\s*\((?:[^()]*,)?)\s*("?[^\s()",=!<>~]*)$/i;

export async function complete(
  context: CompletionContext,
  completions: Completions,
): Promise<CompletionResult | null> {
  const before = context.state.sliceDoc(0, context.pos);
  const value = VALUE.exec(before);
  if (value) {
    const values = await completions.values(value[1]!);
    const options = values.map(({ value: label, count }, index) => ({
      label,
      apply: quoteValue(label),
      detail: count.toLocaleString('en'),
      boost: -Math.min(index, 99),
    }));
    return { from: context.pos - value[2]!.length, options, validFor: /^"?[^\s()",=!<>~]*$/ };
  }
  const word = context.matchBefore(/[^\s()",=!<>~]+/);
  if (!word && !context.explicit) return null;
  const fields = await completions.fields();
  return {
    from: word?.from ?? context.pos,
    options: [
      ...fields.map((label) => ({ label, type: 'property', apply: `${label} = ` })),
      ...WORDS.map((label) => ({ label, type: 'keyword', boost: -1 })),
    ],
    validFor: /^[^\s()",=!<>~]*$/,
  };
}

/** Marks the first problem of the expression, where it is and what was expected. */
export const problems = linter(
  (view): Diagnostic[] => {
    const text = view.state.doc.toString();
    const problem = checkExpression(text);
    if (!problem) return [];
    const to = Math.min(problem.to, text.length);
    return [{ from: Math.min(problem.from, to), to, severity: 'error', message: problem.message }];
  },
  { delay: 250 },
);

export const expressionLanguage = new LanguageSupport(language, [syntaxHighlighting(colours)]);

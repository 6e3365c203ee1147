import js from '@eslint/js';
import hooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

/** Arrows point one way: web → contract ← server → core; the fleet is an outside sender. */
const forbid = (...names) => ({
  'no-restricted-imports': [
    'error',
    {
      patterns: names.map((group) => ({
        group: [group, `${group}/*`],
        message: 'This import crosses a boundary; see docs/how-it-works.md.',
      })),
    },
  ],
});
const everyPart = ['@flail/core', '@flail/contract', '@flail/server', '@flail/web', '@flail/fleet'];
const anyNode = 'node:*';

/** The demo's world stays in apps/fleet and in tests. */
const scenarioWords =
  /kittiwake|berth|ferry|boarding|sailing|tide-feed|lock-store|ledger-db|fare-quoter|manifest-writer|fencing/i;
const scenario = {
  rules: {
    'no-scenario-words': {
      create(context) {
        const check = (node, text) => {
          if (scenarioWords.test(text))
            context.report({ node, message: 'No word of the demo scenario outside apps/fleet.' });
        };
        return {
          Literal: (node) => typeof node.value === 'string' && check(node, node.value),
          TemplateElement: (node) => check(node, node.value.raw),
          Identifier: (node) => check(node, node.name),
          JSXText: (node) => check(node, node.value),
          Program: (node) =>
            context.sourceCode.getAllComments().forEach((comment) => check(comment, comment.value) ?? node),
        };
      },
    },
  },
};

export default tseslint.config(
  {
    ignores: [
      '**/dist/**',
      '**/node_modules/**',
      'data/**',
      'packages/core/src/query/grammar/**',
      'test-results/**',
      'playwright-report/**',
    ],
  },
  js.configs.recommended,
  {
    files: ['scripts/**/*.mjs', '*.js'],
    languageOptions: {
      globals: {
        process: 'readonly',
        console: 'readonly',
        URL: 'readonly',
        fetch: 'readonly',
        setTimeout: 'readonly',
      },
    },
  },
  {
    files: ['**/*.ts', '**/*.tsx'],
    extends: [...tseslint.configs.recommendedTypeChecked],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: {
      '@typescript-eslint/consistent-type-imports': ['error', { fixStyle: 'inline-type-imports' }],
      '@typescript-eslint/no-import-type-side-effects': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
      '@typescript-eslint/restrict-template-expressions': [
        'error',
        { allowNumber: true, allowBoolean: true },
      ],
      // It takes values used by a decorator or in only one branch for unused.
      'no-useless-assignment': 'off',
      '@typescript-eslint/switch-exhaustiveness-check': [
        'error',
        { considerDefaultExhaustiveForUnions: true },
      ],
      eqeqeq: 'error',
    },
  },
  // Nest injects by the class value, so a type-only import would break it.
  { files: ['apps/server/**/*.ts'], rules: { '@typescript-eslint/consistent-type-imports': 'off' } },
  {
    files: ['packages/core/src/**/*.ts'],
    ignores: ['**/*.spec.ts', 'packages/core/src/testing/**'],
    rules: forbid(...everyPart, anyNode),
  },
  {
    files: ['packages/core/src/**/*.ts', 'apps/server/src/**/*.ts'],
    ignores: [
      '**/*.spec.ts',
      '**/testing/**',
      'packages/core/src/codec/bytes.ts',
      'apps/server/src/store/buffers.ts',
    ],
    rules: {
      'no-restricted-syntax': [
        'error',
        {
          selector: "MemberExpression[property.name='buffer']",
          message:
            'Bytes may lie in the midst of a shared pool: cross to typed arrays by core/codec/bytes.ts or store/buffers.ts.',
        },
      ],
    },
  },
  { files: ['packages/contract/src/**/*.ts'], rules: forbid(...everyPart, anyNode) },
  { files: ['apps/server/src/**/*.ts'], rules: forbid('@flail/web', '@flail/fleet') },
  {
    files: ['apps/web/src/**/*.{ts,tsx}'],
    ignores: ['apps/web/src/testing/**'],
    rules: forbid('@flail/server', '@flail/fleet', anyNode),
  },
  {
    files: ['apps/fleet/src/**/*.ts'],
    rules: forbid('@flail/core', '@flail/server', '@flail/web', '@flail/contract'),
  },
  {
    files: ['apps/web/src/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': hooks },
    // There is no compiler to be warned of.
    rules: { ...hooks.configs.recommended.rules, 'react-hooks/incompatible-library': 'off' },
  },
  {
    files: ['packages/*/src/**/*.ts', 'apps/server/src/**/*.ts', 'apps/web/src/**/*.{ts,tsx}'],
    ignores: ['**/*.spec.ts', '**/*.spec.tsx', '**/testing/**'],
    plugins: { flail: scenario },
    rules: { 'flail/no-scenario-words': 'error' },
  },
);

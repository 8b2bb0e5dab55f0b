import js from '@eslint/js';
import hooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

/** Who may import what: the dependency rule of docs/architecture.md. `.dependency-cruiser.cjs` holds the same over paths, and cycles. */
const never = (...names) => ({
  'no-restricted-imports': [
    'error',
    { patterns: names.map((n) => ({ group: [n, `${n}/*`], message: 'against the dependency rule' })) },
  ],
});

export default tseslint.config(
  { ignores: ['**/dist/**', '**/node_modules/**', '.primrose/**', '.dependency-cruiser.cjs'] },
  js.configs.recommended,
  {
    files: ['packages/**/*.{ts,tsx}'],
    extends: [...tseslint.configs.recommendedTypeChecked],
    languageOptions: {
      parserOptions: {
        projectService: { allowDefaultProject: ['packages/*/vite.config.ts'] },
        tsconfigRootDir: import.meta.dirname,
      },
    },
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/no-non-null-assertion': 'error',
      '@typescript-eslint/consistent-type-imports': ['error', { fixStyle: 'inline-type-imports' }],
      '@typescript-eslint/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: true }],
      '@typescript-eslint/no-unused-vars': [
        'error',
        { argsIgnorePattern: '^_', varsIgnorePattern: '^_', ignoreRestSiblings: true },
      ],
      '@typescript-eslint/no-confusing-void-expression': 'off',
      '@typescript-eslint/no-misused-promises': ['error', { checksVoidReturn: { arguments: false } }],
      '@typescript-eslint/require-await': 'off',
      eqeqeq: 'error',
    },
  },
  {
    files: ['packages/core/src/**'],
    rules: {
      ...never('@primrose', 'node:*', 'express', 'react'),
      'no-restricted-globals': ['error', 'process', 'console', 'fetch', 'setTimeout', 'performance', 'crypto'],
      'no-restricted-syntax': [
        'error',
        { selector: 'CallExpression[callee.object.name="Date"][callee.property.name="now"]', message: 'the core has no clock' },
        { selector: 'NewExpression[callee.name="Date"][arguments.length=0]', message: 'the core has no clock' },
        {
          selector: 'CallExpression[callee.object.name="Math"][callee.property.name="random"]',
          message: 'the core has no chance',
        },
      ],
    },
  },
  {
    files: ['packages/contract/src/**'],
    rules: never('@primrose/server', '@primrose/cli', '@primrose/console', '@primrose/web-chat', 'node:*'),
  },
  {
    files: ['packages/server/src/**'],
    rules: never('@primrose/cli', '@primrose/console', '@primrose/web-chat', '@primrose/stand-ins'),
  },
  {
    files: ['packages/cli/src/**'],
    rules: never('@primrose/server', '@primrose/console', '@primrose/web-chat', '@primrose/stand-ins'),
  },
  {
    files: ['packages/console/src/**'],
    plugins: { 'react-hooks': hooks },
    rules: { ...hooks.configs.recommended.rules, ...never('@primrose/server', '@primrose/cli', '@primrose/web-chat', 'node:*') },
  },
  {
    files: ['packages/web-chat/src/**'],
    rules: {
      ...never('@primrose/core', '@primrose/server', 'node:*'),
      '@typescript-eslint/no-restricted-imports': [
        'error',
        { patterns: [{ group: ['@primrose/contract'], allowTypeImports: true, message: 'types only' }] },
      ],
    },
  },
  { files: ['packages/stand-ins/src/**'], rules: never('@primrose') },
  {
    files: ['packages/*/test/**'],
    rules: {
      '@typescript-eslint/no-unused-expressions': 'off',
      '@typescript-eslint/no-unsafe-assignment': 'off',
      '@typescript-eslint/no-unsafe-member-access': 'off',
    },
  },
  {
    files: ['scripts/**', 'bench/**', 'packages/cli/bin/**', '*.js'],
    languageOptions: {
      globals: {
        process: 'readonly',
        URL: 'readonly',
        setTimeout: 'readonly',
        clearTimeout: 'readonly',
        console: 'readonly',
        fetch: 'readonly',
        performance: 'readonly',
        Buffer: 'readonly',
      },
    },
  },
);

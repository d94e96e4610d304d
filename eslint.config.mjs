import hooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

/** Which packages a package may import: floors, and imports only go down. */
const floors = {
  core: [],
  contract: ['core'],
  client: ['core', 'contract'],
  demo: [],
  service: ['core', 'contract', 'demo'],
  cli: ['core', 'contract', 'client'],
  console: ['core', 'contract', 'client'],
  bench: ['core', 'contract', 'client', 'service'],
};
const all = Object.keys(floors);
const noOutside = ['node:*', 'pg', 'express', 'react', 'fs', 'http'];

/** Imports that a package's own code may not make. Tests may reach further: they drive the real thing. */
function floorRule(name) {
  const forbidden = all
    .filter((other) => other !== name && !floors[name].includes(other))
    .map((other) => `@tantamos/${other}`);
  const patterns = [
    {
      group: forbidden.flatMap((f) => [f, `${f}/*`]),
      message: `${name} may import ${floors[name].join(', ') || 'no other package'} only: imports go down.`,
    },
    { group: ['**/packages/*'], message: 'Other packages are imported by name.' },
    ...(name === 'core' ? [{ group: noOutside, message: 'The core does no input or output.' }] : []),
  ];
  return {
    files: [`packages/${name}/src/**/*.{ts,tsx}`],
    ignores: ['**/*.test.{ts,tsx}', '**/testing/**'],
    rules: { 'no-restricted-imports': ['error', { patterns }] },
  };
}

export default tseslint.config(
  { ignores: ['**/dist/**', '**/node_modules/**', '.tantamos/**'] },
  ...tseslint.configs.strict,
  {
    rules: {
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/no-extraneous-class': 'off',
      '@typescript-eslint/no-invalid-void-type': 'off',
      'no-console': 'error',
      eqeqeq: ['error', 'always', { null: 'ignore' }],
    },
  },
  {
    files: ['packages/console/src/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': hooks },
    rules: { ...hooks.configs.recommended.rules, 'react-hooks/incompatible-library': 'off' },
  },
  {
    // All code is read with its types: a promise that nobody awaits loses its error, and in a test its result.
    files: ['packages/*/src/**/*.{ts,tsx}', 'house/*.ts'],
    languageOptions: { parserOptions: { project: ['./packages/*/tsconfig.json', './tsconfig.tests.json'] } },
    rules: {
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/no-misused-promises': [
        'error',
        { checksVoidReturn: { arguments: false, attributes: false } },
      ],
      '@typescript-eslint/await-thenable': 'error',
      '@typescript-eslint/no-unnecessary-type-assertion': 'error',
      '@typescript-eslint/only-throw-error': 'error',
      '@typescript-eslint/prefer-promise-reject-errors': 'error',
    },
  },
  {
    files: ['packages/*/src/**/*.test.ts', 'packages/*/src/testing/**/*.ts', 'house/*.ts'],
    rules: { '@typescript-eslint/require-await': 'error', '@typescript-eslint/no-misused-promises': 'error' },
  },
  {
    files: ['**/*.mjs', '**/bin/*.js'],
    languageOptions: {
      globals: {
        process: 'readonly',
        console: 'readonly',
        URL: 'readonly',
        setTimeout: 'readonly',
        require: 'readonly',
      },
    },
    rules: { '@typescript-eslint/no-require-imports': 'off' },
  },
  ...all.map(floorRule),
);

import vue from 'eslint-plugin-vue';
import globals from 'globals';
import tseslint from 'typescript-eslint';
import vueParser from 'vue-eslint-parser';
import prettier from 'eslint-config-prettier';

export default tseslint.config(
  { ignores: ['**/dist/**', '**/node_modules/**', 'data/**', '**/out/**', 'packages/web/public/**'] },
  ...tseslint.configs.recommendedTypeChecked,
  ...vue.configs['flat/recommended'],
  {
    languageOptions: {
      parser: vueParser,
      parserOptions: {
        parser: tseslint.parser,
        projectService: true,
        extraFileExtensions: ['.vue'],
        tsconfigRootDir: import.meta.dirname,
      },
      globals: { ...globals.browser, ...globals.node },
    },
    rules: {
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
      '@typescript-eslint/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: true }],
      eqeqeq: 'error',
      'no-console': 'error',
      'no-warning-comments': ['error', { terms: ['prettier-ignore', 'todo', 'fixme'], location: 'anywhere' }],
      'vue/multi-word-component-names': 'off',
      'vue/require-default-prop': 'off',
    },
  },
  {
    files: ['**/*.mjs'],
    ...tseslint.configs.disableTypeChecked,
    languageOptions: { parser: tseslint.parser, parserOptions: { projectService: false, project: null }, globals: globals.node },
    rules: { ...tseslint.configs.disableTypeChecked.rules, 'no-console': 'off' },
  },
  // The linter sees .vue imports without their types; vue-tsc checks them.
  {
    files: ['packages/web/**'],
    rules: { '@typescript-eslint/no-unsafe-assignment': 'off', '@typescript-eslint/no-unsafe-argument': 'off' },
  },
  {
    files: ['packages/server/src/cli/**', 'bench/**', 'demo/**', 'tests/*/run*.ts'],
    rules: { 'no-console': 'off' },
  },
  // Imports point one way: web → (API types of) server → core. The core knows no DOM (its own tsconfig), no Node and no server.
  {
    files: ['packages/core/src/**'],
    ignores: ['**/*.test.ts', '**/*.arbitrary.ts'],
    rules: without('node:*', '@clean-sieve/*', 'hono', 'hono/*', '@mikro-orm/*', 'vue', 'vue/*', 'ol', 'ol/*'),
  },
  {
    files: ['packages/server/src/**'],
    rules: without('@clean-sieve/web', '@clean-sieve/web/*', 'vue', 'vue/*', 'ol', 'ol/*', 'vuetify', 'vuetify/*'),
  },
  {
    files: ['packages/web/src/**'],
    ignores: ['**/*.test.ts'],
    rules: without(
      'node:*',
      '@clean-sieve/server/*',
      '!@clean-sieve/server/api',
      '!@clean-sieve/server/api/sift_frame',
      '@mikro-orm/*',
      'hono',
      'hono/*',
      '../../../*',
    ),
  },
  prettier,
);

/** Forbids imports of these; written as in .gitignore. */
function without(...group) {
  return {
    '@typescript-eslint/no-restricted-imports': ['error', { patterns: [{ group, message: 'Imports point one way: web → server → core' }] }],
  };
}

import tseslint from 'typescript-eslint'
import vue from 'eslint-plugin-vue'
import vueParser from 'vue-eslint-parser'

/** Dependencies point inwards: app → stage → core, server → core, cli → stage, server, core. */
const inwards = (files, forbidden, why) => ({
  files,
  rules: { 'no-restricted-imports': ['error', { patterns: [{ group: forbidden, message: why }] }] },
})

/** Folders of the core from the innermost outwards: each sees those before it, so that there are no circles. */
const layers = [
  'kernels',
  'mesh',
  'units',
  'colour',
  'case',
  'shapes',
  'fields',
  'measure',
  'formats',
  'store',
  'trace',
  'steps',
  'check',
  'study',
  'evaluate',
]
const outside = ['**/stage/**', '**/server/**', '**/app/**', '**/cli/**', 'vue', 'h3', 'knex', 'three', 'node:*', 'pinia']

function coreLayers() {
  const further = (i) => layers.slice(i + 1).map((folder) => `**/${folder}/**`)
  return [
    inwards(['core/*.ts'], [...outside, ...layers.map((folder) => `./${folder}/**`)], 'What lies at the top of the core stands alone.'),
    ...layers.map((folder, i) =>
      inwards(
        [`core/${folder}/**`],
        [...outside, ...further(i)],
        `core/${folder} sees only the folders inside it: ${layers.slice(0, i).join(', ')}.`,
      ),
    ),
  ]
}

export default tseslint.config(
  { ignores: ['node_modules', '.nuxt', '.output', 'dist', '.data', 'core/kernels/assembly', 'core/kernels/wasm.ts'] },
  ...tseslint.configs.recommended,
  ...vue.configs['flat/essential'],
  {
    files: ['**/*.vue'],
    languageOptions: { parser: vueParser, parserOptions: { parser: tseslint.parser } },
  },
  {
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/no-non-null-assertion': 'off',
      'vue/multi-word-component-names': 'off',
      'vue/no-mutating-props': 'error',
      'max-lines': ['error', 420],
      'max-len': ['error', { code: 140 }],
      eqeqeq: ['error', 'always', { null: 'ignore' }],
      'no-console': 'error',
      // a formula is compiled to a loop in one place only
      'no-new-func': 'error',
    },
  },
  { files: ['core/fields/formula/compile.ts'], rules: { 'no-new-func': 'off', '@typescript-eslint/no-implied-eval': 'off' } },
  { files: ['scripts/**', 'cli/main.ts', 'bench/**'], rules: { 'no-console': 'off' } },
  ...coreLayers(),
  inwards(
    ['stage/**'],
    ['**/server/**', '**/app/**', '**/cli/**', 'vue', 'pinia', '**/core/store/**', 'node:*'],
    'The stage draws what it is given: no Vue, no store, no fetch.',
  ),
  inwards(['server/**'], ['**/app/**', '**/stage/**', '**/cli/**', 'vue', 'three'], 'The server knows the core alone.'),
  inwards(
    ['cli/**', 'demo/**', 'bench/**'],
    ['**/app/**', '**/server/api/**', '**/server/db/**', 'vue'],
    'The command line needs neither the app nor the database.',
  ),
)

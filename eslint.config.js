// Pages, and what is plain JavaScript. TypeScript is held to the same rules by Oxlint (`.oxlintrc.json`), which takes a
// tenth of the time, and reads no templates.
import js from '@eslint/js'
import vue from 'eslint-plugin-vue'
import tseslint from 'typescript-eslint'

export default tseslint.config(
  {
    ignores: [
      '**/*.ts',
      '**/dist/',
      '**/bundle/',
      '**/node_modules/',
      'core/grammar/',
      'demo/',
      '.data/',
      'eslint.config.js',
      '.dependency-cruiser.cjs',
    ],
  },
  js.configs.recommended,
  ...tseslint.configs.strictTypeChecked,
  ...vue.configs['flat/recommended'],
  {
    languageOptions: {
      parserOptions: {
        projectService: {
          allowDefaultProject: [
            'scripts/*.mjs',
            'core/scripts/*.mjs',
            'bench/*.mjs',
            'cli/bin/*.js',
            'cli/scripts/*.mjs',
          ],
        },
        extraFileExtensions: ['.vue'],
        parser: tseslint.parser,
      },
      globals: { performance: 'readonly', process: 'readonly', URL: 'readonly' },
    },
    rules: {
      // A message or a pattern may be longer: it is searched for as it stands.
      'max-len': [
        'error',
        { code: 120, ignoreStrings: true, ignoreTemplateLiterals: true, ignoreRegExpLiterals: true, ignoreUrls: true },
      ],
      '@typescript-eslint/no-confusing-void-expression': 'off',
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      'vue/max-attributes-per-line': 'off',
      'vue/singleline-html-element-content-newline': 'off',
      'vue/html-self-closing': 'off',
      'vue/html-closing-bracket-newline': 'off',
      'vue/html-indent': 'off',
      'vue/multiline-html-element-content-newline': 'off',
      'vue/require-default-prop': 'off',
    },
  },
  { files: ['**/*.vue'], rules: { 'no-undef': 'off' } },
  { files: ['**/*.mjs', '**/*.js'], extends: [tseslint.configs.disableTypeChecked] },
  {
    // What they ask for is loaded when it is asked for.
    files: ['cli/scripts/parts/*.js'],
    languageOptions: { globals: { require: 'readonly' } },
    rules: { '@typescript-eslint/no-require-imports': 'off' },
  },
)

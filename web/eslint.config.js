import prettier from 'eslint-config-prettier'
import vue from 'eslint-plugin-vue'
import a11y from 'eslint-plugin-vuejs-accessibility'
import ts from 'typescript-eslint'

export default ts.config(
  ...ts.configs.strict,
  ...ts.configs.stylistic,
  ...vue.configs['flat/recommended'],
  ...a11y.configs['flat/recommended'],
  prettier,
  { files: ['**/*.vue'], languageOptions: { parserOptions: { parser: ts.parser } } },
  {
    rules: {
      'max-lines': ['error', { max: 250, skipBlankLines: true }],
      'vue/block-lang': ['error', { script: { lang: 'ts' } }],
      'vue/component-api-style': ['error', ['script-setup']],
      'vue/define-macros-order': 'error',
      'vue/no-unused-refs': 'error',
      'vue/no-useless-v-bind': 'error',
      // a row is walked and opened from the keyboard by its table, a link stops its row's click
      'vuejs-accessibility/click-events-have-key-events': 'off',
      'vuejs-accessibility/no-static-element-interactions': 'off',
      'vuejs-accessibility/label-has-for': ['error', { required: { some: ['nesting', 'id'] } }],
      'vuejs-accessibility/no-autofocus': 'off',
      // functions that a screen passes on have no name of their own there
      '@typescript-eslint/no-non-null-assertion': 'off',
    },
  },
  { ignores: ['src/api/schema.d.ts', 'dist'] },
)

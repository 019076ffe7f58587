import vue from 'eslint-plugin-vue'
import ts from 'typescript-eslint'

export default ts.config(
  ...ts.configs.recommended,
  ...vue.configs['flat/essential'],
  { files: ['**/*.vue'], languageOptions: { parserOptions: { parser: ts.parser } } },
  { ignores: ['src/api/schema.d.ts', 'dist'] },
)

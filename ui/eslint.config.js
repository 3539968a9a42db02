import hooks from 'eslint-plugin-react-hooks'
import tseslint from 'typescript-eslint'

export default tseslint.config(
  { ignores: ['dist', 'src/api/schema.d.ts'] },
  ...tseslint.configs.strictTypeChecked,
  {
    languageOptions: {
      parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname },
    },
    plugins: { 'react-hooks': hooks },
    rules: {
      ...hooks.configs.recommended.rules,
      // A template literal of a number is how figures are written here.
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      // Of the type-aware rules this one alone takes a quarter of the time; what is deprecated is seen to when
      // a package is taken up anew.
      '@typescript-eslint/no-deprecated': 'off',
      // Handlers may start work that reports through its own state.
      '@typescript-eslint/no-misused-promises': [
        'error',
        { checksVoidReturn: { attributes: false } },
      ],
    },
  },
)

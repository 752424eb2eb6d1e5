import tseslint from 'typescript-eslint'

export default tseslint.config(
  { ignores: ['dist', 'node_modules', 'target', 'src/shared/api/schema.d.ts'] },
  ...tseslint.configs.recommended,
  {
    rules: {
      'no-restricted-globals': ['error', { name: 'fetch', message: 'Use the typed client in shared/api.' }],
    },
  },
)

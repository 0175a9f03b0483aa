import js from '@eslint/js';
import query from '@tanstack/eslint-plugin-query';
import prettier from 'eslint-config-prettier';
import a11y from 'eslint-plugin-jsx-a11y';
import hooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

export default tseslint.config(
  { ignores: ['dist', 'src/api/schema.gen.d.ts'] },
  js.configs.recommended,
  ...tseslint.configs.strictTypeChecked,
  { languageOptions: { parserOptions: { projectService: true } } },
  a11y.flatConfigs.strict,
  hooks.configs.flat['recommended-latest'],
  ...query.configs['flat/recommended'],
  prettier,
  {
    rules: {
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      '@typescript-eslint/switch-exhaustiveness-check': 'error',
      '@typescript-eslint/no-confusing-void-expression': ['error', { ignoreArrowShorthand: true }],
      'no-restricted-imports': [
        'error',
        {
          paths: [{ name: '@mui/material', message: 'Import by path.' }],
          patterns: [
            { group: ['**/features/*/*'], message: 'A feature is used through its page only.' },
          ],
        },
      ],
    },
  },
  { files: ['src/app/router.tsx'], rules: { 'no-restricted-imports': 'off' } },
);

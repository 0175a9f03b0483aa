import js from '@eslint/js';
import query from '@tanstack/eslint-plugin-query';
import prettier from 'eslint-config-prettier';
import a11y from 'eslint-plugin-jsx-a11y';
import hooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

const CONTROLS = ['Button', 'Checkbox', 'Radio'];

/** What files of `files` may not import: MUI as a whole, its controls that act, and what `pattern` says. */
function within(files, pattern) {
  return {
    files,
    rules: {
      'no-restricted-imports': [
        'error',
        {
          paths: [
            { name: '@mui/material', message: 'Import by path.' },
            ...CONTROLS.map((control) => ({
              name: `@mui/material/${control}`,
              message: 'What acts takes a permission: use the one of src/ui.',
            })),
          ],
          patterns: [pattern],
        },
      ],
    },
  };
}

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
      // What an effect gives back is called when it ends, and some browsers' scrollIntoView gives a promise.
      'no-restricted-syntax': [
        'error',
        {
          selector:
            'CallExpression[callee.name=/^use(Layout)?Effect$/] > ArrowFunctionExpression[expression=true]',
          message: 'An effect gives nothing back but what undoes it: use a body.',
        },
      ],
      '@typescript-eslint/no-confusing-void-expression': ['error', { ignoreArrowShorthand: true }],
    },
  },
  // A room by its own files: what it may not reach is told by how an import would begin.
  within(['src/api/**'], { regex: '^\\.\\./', message: 'The API stands on nothing else.' }),
  within(['src/ui/**'], { regex: '^\\.\\./(?!api/)', message: 'src/ui stands on src/api only.' }),
  within(['src/app/**'], {
    regex: 'features/',
    message: 'Features are reached by their pages, in the router.',
  }),
  within(['src/app/router.tsx'], {
    regex: 'features/[^/]+/(?!\\w+Page$)',
    message: 'A feature is used through its page only.',
  }),
  within(['src/features/**'], {
    regex: '^\\.\\./(?!\\.\\./(ui|api)/)',
    message: 'A feature stands on src/ui and src/api; another one is led to, not imported.',
  }),
  {
    // These are the wrapped ones.
    files: ['Button', 'ShowButton', 'LinkButton', 'DownloadButton', 'Checkbox', 'Radio'].map(
      (control) => `src/ui/${control}.tsx`,
    ),
    rules: { 'no-restricted-imports': 'off' },
  },
);

// The lint of our own is itself tried: each of these lines must be refused, or must pass, where it stands.
import { ESLint } from 'eslint';

const TRIED = [
  ['src/features/run/strings.ts', "import '../backups/BackupsPage';", true],
  ['src/features/run/strings.ts', "import '../../features/backups/BackupsPage';", true],
  ['src/features/run/strings.ts', "import '../../app/actions';", true],
  ['src/features/run/strings.ts', "import '@mui/material/Button';", true],
  ['src/features/run/strings.ts', "import '@mui/material/Checkbox';", true],
  ['src/features/run/strings.ts', "import '@mui/material';", true],
  ['src/features/run/strings.ts', "import '../../ui/format';", false],
  ['src/features/run/strings.ts', "import './strings';", false],
  ['src/app/Frame.tsx', "import '../features/run/RunPage';", true],
  ['src/app/router.tsx', "import '../features/run/RunScreen';", true],
  ['src/app/router.tsx', "import '../features/run/RunPage';", false],
  ['src/ui/format.ts', "import '../app/actions';", true],
  ['src/ui/Button.tsx', "import '@mui/material/Button';", false],
  ['src/api/client.ts', "import '../ui/format';", true],
  ['src/api/clock.ts', 'useEffect(() => window.focus(), []);', true],
  ['src/api/clock.ts', 'useEffect(() => { window.focus(); }, []);', false],
];

const RULES = ['no-restricted-imports', 'no-restricted-syntax'];

const eslint = new ESLint();
let wrong = 0;
for (const [filePath, text, isRefused] of TRIED) {
  const [{ messages }] = await eslint.lintText(`${text}\n`, { filePath });
  if (messages.some((one) => RULES.includes(one.ruleId)) === isRefused) continue;
  wrong += 1;
  console.error(`${filePath}: ${text} should ${isRefused ? 'be refused' : 'pass'}`);
}
process.exit(wrong === 0 ? 0 : 1);

import type { Api } from '../../api/client';

const WIPES: Record<Api<'Wipe'>, string> = {
  data: 'Data wipe: loses apps and settings.',
  'format-data': 'Format data: loses all internal storage and its encryption key.',
};

export function wipeWords(wipe: Api<'Wipe'>): string {
  return WIPES[wipe];
}

export function resultWords(result: Api<'StepResult'>): string {
  switch (result) {
    case 'as-expected':
      return 'as expected';
    case 'otherwise':
      return 'not as expected';
    case 'refused':
      return 'the device declined';
  }
}

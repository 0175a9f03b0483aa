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
    case 'not-known':
      return 'how it ended is not known';
  }
}

export function keyWords(key: Api<'Key'>): string {
  switch (key) {
    case 'power':
      return 'power';
    case 'volume-up':
      return 'volume up';
    case 'volume-down':
      return 'volume down';
    case 'home':
      return 'home';
    case 'dock-button':
      return 'dock button';
    case 'screen':
      return 'finger';
  }
}

/** What ends a phase, where there is little room. */
export function cueWords(phase: Api<'Phase'>): string {
  switch (phase.cue) {
    case 'black':
      return 'black';
    case 'vibration':
      return 'vibrates';
    case 'logo':
      return 'mark shows';
    case 'steady':
      return 'stands still';
    case 'question':
      return 'question';
    case 'lamp':
      return 'lamp';
    case 'cable-in':
      return 'cable in';
    case 'seconds':
      return `${phase.seconds} s`;
  }
}

/** Where the cable is (N4). */
export function cableWords(cable: Api<'Cable'>): string {
  switch (cable) {
    case 'in':
      return 'The cable is in and stays in.';
    case 'out':
      return 'The cable comes out and stays out.';
    case 'trigger':
      return 'The cable is out; putting it in sets this off.';
    case 'either':
      return '';
  }
}

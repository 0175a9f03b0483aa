import type { Api } from '../../api/client';

export const WORDS = {
  title: 'Bench',
  justBack: 'just back',
  empty: 'Nothing here yet. Units come with a bridge, or by hand.',
  add: 'Put a unit on the bench',
  linked: 'A bridge on this computer',
  linkedHelp:
    'A bridge is the small program that holds the cable. It reads and commands the device; the bench judges.',
  byHand: 'A device by hand',
  byHandHelp: 'Without a bridge you say what you see, and do each step yourself.',
  name: 'Name on this bench',
  owner: 'Whose is it?',
  ownerHelp:
    'Only devices that are yours, or whose owner asked you, are worked on. Local law applies.',
  away: 'Put away',
  nothingFound: 'This bridge has no device that is not on the bench already.',
  notListed:
    'A device that is missing here: cable in, charge-only cable out, prompt on it answered?',
};

/** Which log is set aside, so that no two buttons bear the same name. */
export function asideLabel(line: Api<'DamagedLine'>): string {
  if (line.unit == null) return 'Set the bench’s log aside';
  return `Set the log of ${line.nickname ?? line.unit} aside`;
}

export const WORDS = {
  help: 'Every file on the shelf that could be this unit’s recovery, held against what it wants; the best first. What a file’s own bytes say counts, its name does not.',
  empty: 'No image for this device lies on the shelf. Put its recovery there.',
  taken: 'The one that is taken',
  schools: 'Ways to work with one',
  school: 'Way',
  stands: 'On this unit now',
  time: 'Time',
  wipes: 'Wipes',
  noReturn: 'Without return',
  choose: 'See its sheet',
  reason: 'Why it is taken all the same',
  why: 'Why this one and not the first',
};

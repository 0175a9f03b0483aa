export const WORDS = {
  help: 'Every file on the shelf that could be this unit’s recovery, held against what it wants; the best first. What a file’s own bytes say counts, its name does not.',
  empty: 'No image lies on the shelf. Put the recovery for this unit there.',
  taken: 'The one that is taken',
  reason: 'Why it is taken all the same',
};

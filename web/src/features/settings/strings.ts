export const WORDS = {
  lookAgain: 'Look again',
  placesHelp:
    'A place keeps copies of captures. Two folders on one disk are one accident away from each other; a copy in memory never counts.',
  owner: 'Whose is it? Only devices that are yours, or whose owner asked you, are worked on.',
  copies: 'Copies of what exists once, read back, before anything foreign is written',
  distinct: 'Only places on different media count apart',
  any: 'Any two places count apart',
  importHelp:
    'A capture that was exported, here or on another bench. What it holds is read first; every image is held against its manifest before any of it is kept.',
  importJob: 'taking an export in',
  floor: 'Battery: warn below',
};

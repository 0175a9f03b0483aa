export const WORDS = {
  takes: 'What it takes',
  known: 'What is known',
  lost: 'What would be lost',
  lostHelp:
    'Unlocking counts as erasing at the moment you confirm on the unit. Say for each kind of data where its copy lies, after opening it to check, or that there is nothing to keep.',
  costs: 'What it costs',
  cautions: 'To mind',
  waiveAll: 'Nothing of all this is to be kept',
  nextCheck: 'Find out first',
};

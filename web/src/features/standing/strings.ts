export const WORDS = {
  token: 'The token from the mail',
  tokenHelp: 'Checked, then kept encrypted for this unit alone.',
  tokenKept: 'The token is kept, encrypted',
  takes: 'What it takes',
  settled: 'How that is known',
  known: 'What is known',
  lost: 'What would be lost',
  lostHelp:
    'It is erased at the moment you confirm on the unit; unlocking and locking count as erasing. Say for each kind of data where its copy lies, after opening it to check, or that there is nothing to keep.',
  goal: 'For your goal',
  costs: 'What it costs',
  cautions: 'To mind',
  waiveAll: 'Nothing of all this is to be kept',
  waiveAllYes: 'None of it is to be kept',
  intakeAllYes: 'Each was tried and works',
  nextCheck: 'Find out first',
  findings: 'Look at this',
  chain: 'The way from build to build',
  chainHelp:
    'Found by searching the packages that this family lists: fewest wipes first, then minutes. Back up again once it is unlocked; after that you may stop at any build you like.',
  closing: 'A door that closes',
  afternoon: 'Battery',
  paste: 'Paste a screen',
  pasteHelp:
    'Copy the text of a settings or bootloader screen and paste it. Lines that this family prints are found; you say which are right. Nothing is recorded before that.',
  allFacts: 'Show all facts',
  knownFacts: 'Show only what is known',
  intake: 'Note once what works as it arrives. Otherwise nobody can say later what was lost.',
  intakeNote: 'Note what works',
  intakeTitle: 'What works as it arrives',
  unit: 'On this bench',
  newName: 'Its name from now on',
  intakeAll: 'Everything works',
  checkTitle: 'What works now',
  ownersPage: 'Page for the owner',
  calendar: 'Calendar entry',
  pictureHelp: 'It stays on this computer and is never exported.',
};

/** The page that the owner takes along. */
export const OWNER = {
  print: 'Print this page',
  back: 'Back to Standing',
  dated: 'As judged on',
  judged: 'What is judged',
  open: 'Before it can begin',
  costs: 'What unlocking costs',
  keep: 'What would be lost',
  keepHelp:
    'Unlocking erases the unit at the moment it is confirmed. Copied and opened to check, or not needed:',
  works: 'What works as it arrives',
  signed: 'Read and understood',
  signHelp:
    'The unit is mine, or its owner asked me. I know what is lost and what it costs. Local law and the rules for radio devices apply.',
  owner: 'Owner, date',
  bench: 'At the bench, date',
};

/** Titles of what is said beside the unlock. */
export const OUTLOOK = {
  symptom: 'Why it does not do what it should',
  'whole-erase': 'The erase that stands ticked',
  tool: 'The write tool',
  'read-out': 'How it would be read out',
  foreign: 'Before anything foreign',
  relock: 'Locking it again',
} as const;

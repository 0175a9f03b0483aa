export const WORDS = {
  computerHelp: 'What you change on this computer for it stays an open item until it is put back.',
  computer: 'Note it under Changed on this computer',
  asks: 'What the recovery may ask',
  why: 'Why this one and not the first',
  keepWhy: 'Keep the reason',
  goal: 'What is to be reached?',
  goals: {
    changes: 'It is changed',
    reads: 'It is read, nothing written',
    goes: 'It goes to a mode',
  },
  sheet: 'The sheet',
  prepare: 'Before it begins',
  shelf: 'From the shelf',
  connection: 'The connection',
  wiped: 'What is wiped',
  again: 'To be switched on again after the last wipe',
  begin: 'Begin',
  unknown: 'How this step ended is not known. Look at the unit; the bench looks when you press.',
  asksOnceMore: 'Pressing it sends the command; the unit asks once more before it acts.',
  asksNothing: 'Pressing it does it: nothing asks again.',
  onlyConsents: 'Nothing is done yet: the rest of the list comes first.',
  showsHow: 'Pressing it shows how; your hands do it.',
  cableGone:
    'The link has lost the unit while it asks. Put the cable back before you answer; it stays in until the step is over.',
  answerHere: 'Answer on the unit itself. The bench sees what you answer.',
};

/** The timed score of a choreography. */
export const SCORE = {
  label: 'What both hands do',
  start: 'Count me in',
  now: 'Begin now',
  seen: 'Seen, go on',
  again: 'From the start',
  ready: 'Hands on the unit. It begins at one.',
  done: 'That was all of it. Now say what you see.',
  soundOn: 'With sound',
  soundOff: 'Without sound',
  pedal: 'Page Down or Space from a pedal goes on too.',
} as const;

/** The stand-in's body beside the sheet. */
export const FACE = {
  label: 'The stand-in in your hands',
  open: 'Take the stand-in in hand',
  close: 'Put the stand-in aside',
  keys: 'Keys',
  beside: 'Beside it',
  dark: 'Dark',
  shakes: 'It shakes.',
  latch: 'Keys stay down until pressed again',
  note: 'This unit is simulated. Its keys are judged by how long they are held, in real seconds.',
} as const;

/** The same step for whoever lives in a shell. */
export const RUN_CARD = { open: 'The same from a shell', fold: 'Fold the shell away' };

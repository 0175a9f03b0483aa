export const WORDS = {
  goal: 'What is to be reached?',
  sheet: 'The sheet',
  prepare: 'Before it begins',
  shelf: 'From the shelf',
  begin: 'Begin',
  unknown: 'How this step ended is not known. Look at the device; the bench looks when you press.',
  answerHere: 'Answer on the device itself. The bench sees what you answer.',
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

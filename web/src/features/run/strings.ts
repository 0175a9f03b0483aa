export const WORDS = {
  goal: 'What is to be reached?',
  sheet: 'The sheet',
  prepare: 'Before it begins',
  shelf: 'From the shelf',
  begin: 'Begin',
  unknown: 'How this step ended is not known. Look at the device; the bench looks when you press.',
  answerHere: 'Answer on the device itself. The bench sees what you answer.',
};

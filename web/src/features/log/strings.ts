export const LOG = {
  lines: 'Lines of the log, newest first',
  none: 'No line of this kind yet.',
};

/** The page that goes with the unit. */
export const PASSPORT = {
  to: 'Passport',
  print: 'Print this page',
  back: 'Back to the log',
  dated: 'As known on',
  open: 'What to know first',
  nothing: 'Nothing was waived or skipped, and nothing is left unproven.',
  now: 'What it is now',
  kept: 'What exists once, and how it is kept',
  noFamily: 'Its family is not known: nothing can be said of it.',
};

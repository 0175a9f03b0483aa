export const LOG = {
  lines: 'Lines of the log, newest first',
  none: 'No line of this kind yet.',
};

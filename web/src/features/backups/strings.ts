export const WORDS = {
  chart: 'Core chart: partitions down, the unit and its captures across',
  nothing: 'Nothing of this unit is captured yet',
  nothingHelp:
    'A capture reads what exists once in the world, and what starts the unit, straight over the link. It changes nothing on the unit. The chart of it will be here.',
  anyMedia: 'The policy of this bench lets any two places count, even on one disk.',
  putBackHelp:
    'What lies there now is captured first, only what differs is written, and it is read back and compared.',
};

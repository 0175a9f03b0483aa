export const WORDS = {
  partition: 'Partition',
  chart: 'Core chart: partitions down, the unit and its captures across',
  legend:
    'In line with the base: the same bytes. Stepped to the right: other bytes, the older the further left; ticks at its foot show where they differ. Filled: read back and whole. Hollow: not read back. Cracked: damaged. Dashed: not read since it could change. A notched corner: exists once in the world. Arrow keys walk the chart, T shows it as a table.',
  nothing: 'Nothing of this unit is captured yet',
  nothingHelp:
    'A capture holds what exists once in the world, and what starts the unit. It changes nothing on the unit. The chart of it will be here.',
  ways: 'How it is read',
  notLooked: 'Not looked into yet: read a copy back',
  matters: 'It matters',
  note: 'To be known',
  anyMedia: 'The policy of this bench lets any two places count, even on one disk.',
  stock: 'The maker’s sets on the shelf',
  stockHelp:
    'Taken into the vault, each image is compared with the digest of its list. It can then be put back. What is the maker’s is told by the family file, not by the list.',
  dumps: 'Dumps that hands took',
  dumpsHelp:
    'Files of whole partitions, read with a program of your own: raw, packed or sparse, one by one, in folders or in archives, with their lists of digests. Which partition each is, is told by its name and its length in the unit’s own table; what neither tells is asked.',
  exportHelp:
    'One tar with every image, lists of digests and a READ-ME whose commands check and unpack it without this program. For its owner it carries the unit’s identity, and says so on its first line; for somebody else what exists once, the state of the lock and all identifiers stay out.',
  putBackHelp:
    'What lies there now is captured first, only what differs is written, and it is read back and compared.',
};

/** The kinds of ways to read, as titles. */
export const WAYS = {
  'temporary-start': 'A recovery started from memory',
  'read-out': 'The maker’s mode that reads out',
  'running-system': 'The running system, with administrator rights',
  'after-write': 'A recovery in its own place',
};

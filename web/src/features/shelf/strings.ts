export const WORDS = {
  help: 'Files at hand for all units: images, packages, the maker’s sets. Each is kept once, known by its digest, and read for what it really is; its name says nothing.',
  drop: 'Drop files here',
  pick: 'Choose files',
  path: 'Or the whole path of a file on this computer',
  empty:
    'Nothing lies on the shelf yet. Put the recovery for a unit here, the maker’s set of its build, and packages that go with it.',
  says: 'What it says it is for',
  saysNothing: 'It says nothing of what it is for.',
  digests: 'Digests',
  publishedHelp:
    'Paste the publisher’s line, a whole list of digests, or a side file. SHA-256, SHA-512 and BLAKE3 prove the file; SHA-1 and MD5 only tell damage.',
  inside: 'What lies inside',
  from: 'Where it came from',
  needed: 'What needs it',
};

-- Units are folded in memory from the log; the index keeps the lines for the screens, and how far each
-- chain was when it was last seen: a witness of what is cut off or written anew later.
DROP TABLE units;
DELETE FROM entries;
CREATE TABLE chains (
  scope TEXT NOT NULL PRIMARY KEY,
  seq BIGINT NOT NULL,
  hash TEXT NOT NULL            -- of line `seq`
) WITHOUT ROWID;
-- Which program wrote the sentences: another one may put them otherwise.
CREATE TABLE about (
  id INTEGER NOT NULL PRIMARY KEY CHECK (id = 1),
  program TEXT NOT NULL
);

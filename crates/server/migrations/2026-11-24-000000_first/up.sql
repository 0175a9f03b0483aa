-- The index of the log. Everything here can be made anew from DATA/log (`veritope rebuild`).
CREATE TABLE entries (
  scope TEXT NOT NULL,          -- 'bench' or a unit's id
  seq BIGINT NOT NULL,
  at_ms BIGINT NOT NULL,
  kind TEXT NOT NULL,
  sentence TEXT NOT NULL,       -- identifiers masked
  PRIMARY KEY (scope, seq)
) WITHOUT ROWID;
CREATE INDEX entries_by_time ON entries (at_ms DESC, scope, seq DESC);

-- What the entries of a unit add up to, kept beside them by the same transaction.
CREATE TABLE units (
  id TEXT NOT NULL PRIMARY KEY,
  nickname TEXT NOT NULL UNIQUE,
  added_ms BIGINT NOT NULL,
  seq BIGINT NOT NULL,
  record TEXT NOT NULL
);

-- A record keeps more since: when anything was first and last written, what shows a write, what heads
-- say. The log is the truth; it is folded in anew.
DELETE FROM entries;
DELETE FROM units;

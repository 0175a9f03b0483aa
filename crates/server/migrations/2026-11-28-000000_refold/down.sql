DELETE FROM entries;
DELETE FROM units;

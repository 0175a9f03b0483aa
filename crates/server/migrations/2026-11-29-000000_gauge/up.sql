-- What a line that only reads a gauge reads, in words: such lines in a row are shown as one. All is read
-- from the log anew.
ALTER TABLE entries ADD COLUMN gauge TEXT;
DELETE FROM entries;
DELETE FROM about;

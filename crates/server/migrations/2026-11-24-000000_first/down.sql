DROP TABLE units;
DROP TABLE entries;

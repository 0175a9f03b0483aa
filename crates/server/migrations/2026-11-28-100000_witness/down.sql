DROP TABLE about;
DROP TABLE chains;

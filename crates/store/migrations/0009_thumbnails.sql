-- A small picture of each photo for lists, JPEG.
ALTER TABLE photos ADD COLUMN thumbnail BLOB; -- NULL: kept before there were small ones

-- A branch library's desk file, for trials on a real SQLite: 120,000 loans of 20,000 items.
CREATE TABLE item (id INTEGER PRIMARY KEY, title_id INTEGER NOT NULL, branch_id INTEGER NOT NULL, shelf TEXT NOT NULL, note TEXT NOT NULL);
CREATE TABLE loan (id INTEGER PRIMARY KEY, item_id INTEGER NOT NULL, patron_id INTEGER NOT NULL, due_day INTEGER NOT NULL, returned INTEGER NOT NULL DEFAULT 0, remark TEXT NOT NULL);
WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 20000)
INSERT INTO item (id, title_id, branch_id, shelf, note) SELECT i, i % 6100, i % 43, 'shelf ' || (i % 520), 'bound copy, spine ' || (i * 7919 % 100003) FROM n;
WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 120000)
INSERT INTO loan (id, item_id, patron_id, due_day, returned, remark) SELECT i, 1 + i * 7919 % 20000, 1 + i * 104729 % 30000, i * 31 % 1400, i % 9 > 0, 'slip ' || (i * 15485863 % 1000003) || ' kept with the card in the desk drawer' FROM n;
CREATE INDEX loan_item ON loan (item_id);
CREATE INDEX loan_patron ON loan (patron_id);
ANALYZE;

-- A branch library's desk, for trials on a PostgreSQL that is made for them: 300,000 loans of 20,000 items.
CREATE TABLE item (id int PRIMARY KEY, title_id int NOT NULL, branch_id int NOT NULL, shelf text NOT NULL, note text NOT NULL);
CREATE TABLE loan (id bigint PRIMARY KEY, item_id int NOT NULL REFERENCES item, patron_id int NOT NULL, due_day int NOT NULL, returned bool NOT NULL, remark text NOT NULL);
INSERT INTO item (id, title_id, branch_id, shelf, note) SELECT i, i % 6100, i % 43, 'shelf ' || (i % 520), 'bound copy, spine ' || (i * 7919::bigint % 100003) FROM generate_series(1, 20000) AS i;
INSERT INTO loan (id, item_id, patron_id, due_day, returned, remark) SELECT i, 1 + i * 7919::bigint % 20000, 1 + i * 104729::bigint % 30000, i * 31::bigint % 1400, i % 9 > 0,
                        'slip ' || (i * 15485863::bigint % 1000003) || ' kept with the card in the desk drawer'
FROM generate_series(1, 300000) AS i;
CREATE INDEX loan_item ON loan (item_id);

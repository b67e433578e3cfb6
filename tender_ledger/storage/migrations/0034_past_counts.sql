-- Counts of before the last reports of a large study are shown for a while: since when they are kept, and how long they took.
-- Pages of numbers are kept as they were drawn: of when their oldest count is, and whether they may change without a write.
ALTER TABLE kept_answer
    ADD COLUMN kept_at timestamptz NOT NULL DEFAULT now(),
    ADD COLUMN counted_at timestamptz,
    ADD COLUMN may_change boolean NOT NULL DEFAULT false;
ALTER TABLE kept_answer RENAME COLUMN ids TO packed;
ALTER TABLE kept_result ADD COLUMN seconds real NOT NULL DEFAULT 0;

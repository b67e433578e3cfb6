-- What a holder does for a living, in words: one of the grounds on which holders are set in groups.
ALTER TABLE holder ADD COLUMN occupation text NOT NULL DEFAULT '' CHECK (occupation IS NFC NORMALIZED);
UPDATE change SET before = before || '{"occupation": ""}', after = after || '{"occupation": ""}' WHERE entity = 'holder';

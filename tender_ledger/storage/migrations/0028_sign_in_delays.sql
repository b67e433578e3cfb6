-- How often signing in failed of late: of an account at an address, of an address, of an account, of a device; and the devices
-- on which somebody has signed in. A bucket is a keyed digest of what it is about, so that the table names nobody.
CREATE TABLE sign_in_failures (
    bucket bytea PRIMARY KEY,
    failures integer NOT NULL,
    last_at timestamptz NOT NULL DEFAULT now(),
    open_at timestamptz NOT NULL DEFAULT now(),
    refused boolean NOT NULL DEFAULT false
);
CREATE TABLE known_device (
    token_sha256 bytea NOT NULL CHECK (length(token_sha256) = 32),
    person_id bigint NOT NULL REFERENCES person (id),
    seen_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (token_sha256, person_id)
);
CREATE INDEX known_device_person ON known_device (person_id);

"""Named reads per area. Every read of study records takes a Scope, and its terms are joined into the SQL."""

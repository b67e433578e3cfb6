"""PostgreSQL through peewee: models, migrations, named reads with their terms joined, and writes with their history."""

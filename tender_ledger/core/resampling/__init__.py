"""How sure a number is: resampling of informants, exactly where that is possible, else by seeded drawing."""

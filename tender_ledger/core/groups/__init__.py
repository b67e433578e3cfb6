"""Groups of informants (communities, genders, ages, occupations, periods) beside one another."""

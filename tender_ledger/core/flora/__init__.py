"""Which families of a flora are told of more, or less, than their size would have it."""

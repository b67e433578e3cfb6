"""Use cases, named verb_noun: check rights and terms, load, compute, save with history. The only way in."""

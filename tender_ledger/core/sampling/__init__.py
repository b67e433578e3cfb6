"""Has enough been heard: accumulation, richness and coverage of incidence data, the unit being the informant."""

"""Cultural consensus analysis: who shares a culture's answers, and what these are."""

"""What every step uses: the spread of page and margin, forms, words, and the study of a request."""

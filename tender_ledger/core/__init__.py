"""The rules of the job and all computation: values and arrays in, result objects out; no file, clock or database."""

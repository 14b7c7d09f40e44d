"""Background work: a thin layer of tasks over core, media and store."""

-- Work that had ended when it was told to stop is shown for a moment longer, so that nobody believes it stopped.
ALTER TABLE works ADD COLUMN too_late boolean NOT NULL DEFAULT false;

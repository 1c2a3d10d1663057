/** Ink of what is said beside the thing itself. */
export const QUIET = "var(--mui-palette-text-secondary)";
export const LINE = "1px solid var(--mui-palette-divider)";

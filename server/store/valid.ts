/** What holds at an instant, which is bound twice. */
export const VALID_AT = "valid_from <= ? AND (valid_to IS NULL OR valid_to > ?)";

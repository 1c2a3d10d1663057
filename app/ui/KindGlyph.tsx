import { kindInfo } from "#core/catalogue/kinds";

/**
 * A small picture for what a kind is, as the catalogue says; the word for the kind stands beside it or in its title.
 */
export const KindGlyph = ({ kind }: { kind: string }) => (
  <i className={`hx-glyph hx-glyph-${kindInfo(kind).icon}`} aria-hidden="true" />
);

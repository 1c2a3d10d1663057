/** The mark of the product: three strata, shifted as layers of a map. */
export function Mark() {
  return (
    <svg width="24" height="20" viewBox="0 0 24 20" aria-hidden="true">
      <path d="M6 3 H22" stroke="currentColor" strokeWidth="3" />
      <path d="M2 10 H15" stroke="currentColor" strokeWidth="3" opacity="0.75" />
      <path d="M9 17 H24" stroke="currentColor" strokeWidth="3" opacity="0.5" />
    </svg>
  );
}

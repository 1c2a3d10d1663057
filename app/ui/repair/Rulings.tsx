import type { Ruling } from "#core/repair/guardrails";

/** What each guardrail said of an act: those that hold it back first. */
export function Rulings({ rulings, warnOnly = false }: { rulings: readonly Ruling[]; warnOnly?: boolean }) {
  const sorted = [...rulings].sort((a, b) => Number(b.holds) - Number(a.holds));
  const shown = warnOnly ? sorted.filter((one) => one.holds) : sorted;
  return (
    <ul className="hx-plain-list">
      {shown.map((one) => (
        <li key={`${one.guardrail}${one.words}`}>
          <span aria-hidden="true" style={{ color: one.holds ? "var(--hx-major)" : "inherit", fontWeight: 700 }}>
            {one.holds ? "✕ " : "✓ "}
          </span>
          <strong>{one.guardrail}</strong>
          {one.holds ? (warnOnly ? ": " : " holds it back: ") : ": "}
          {one.words}
        </li>
      ))}
    </ul>
  );
}

import Stack from "@mui/material/Stack";
import type { ReactNode } from "react";
import { whole, type Change, type LogsData } from "./page";

/** Severities and sources with how many records they have; each narrows to its own. */
export function Facets({ page, onChange }: { page: LogsData; onChange: Change }) {
  return (
    <Stack component="nav" aria-label="Facets" sx={{ gap: 1.5 }}>
      <Facet title="Severity">
        {page.levels
          .filter((one) => one.count > 0)
          .map((one) => (
            <FacetRow
              key={one.level}
              label={one.level}
              count={one.count}
              {...(one.least > 0 ? { onClick: () => onChange({ level: String(one.least) }) } : {})}
            />
          ))}
      </Facet>
      <Facet title={`Source ${page.componentCount}`}>
        {page.components.map((one) => (
          <FacetRow
            key={one.name}
            label={one.name}
            count={one.count}
            {...(one.componentId === null ? {} : { onClick: () => onChange({ component: String(one.componentId) }) })}
          />
        ))}
      </Facet>
    </Stack>
  );
}

function Facet({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div>
      <h2 className="hx-facet-head">{title}</h2>
      <ul className="hx-plain-list">{children}</ul>
    </div>
  );
}

function FacetRow({ label, count, onClick }: { label: string; count: number; onClick?: () => void }) {
  return (
    <li className="hx-facet">
      {onClick ? (
        <button type="button" className="hx-word hx-clip" onClick={onClick} title={label}>
          {label}
        </button>
      ) : (
        <span className="hx-clip">{label}</span>
      )}
      <span className="hx-quiet">{whole(count)}</span>
    </li>
  );
}

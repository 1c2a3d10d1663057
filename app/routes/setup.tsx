import Box from "@mui/material/Box";
import { NavLink, Outlet } from "react-router";
import { useKeep, useShell } from "../shell/window";

const PARTS = [
  { to: "/setup", label: "This installation" },
  { to: "/setup/services", label: "Services" },
  { to: "/setup/signals", label: "Ingest" },
  { to: "/setup/rules", label: "Rules" },
  { to: "/setup/audit", label: "Audit log" },
  { to: "/setup/drills", label: "Drills" },
] as const;

export default function Setup() {
  const keep = useKeep();
  const { hasDrills } = useShell();
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "150px minmax(0, 1fr)", gap: 2 }}>
      <Box component="nav" aria-label="Parts of Setup" sx={{ display: "flex", flexDirection: "column", gap: 0.25 }}>
        {PARTS.filter((part) => hasDrills || part.label !== "Drills").map((part) => (
          <Box
            key={part.to}
            component={NavLink}
            to={keep(part.to)}
            end={part.to === "/setup"}
            sx={{
              px: 1,
              py: 0.75,
              textDecoration: "none",
              color: "text.secondary",
              fontSize: "0.88rem",
              borderLeft: 2,
              borderColor: "transparent",
              "&.active": { color: "text.primary", fontWeight: 650, borderColor: "primary.main" },
            }}
          >
            {part.label}
          </Box>
        ))}
      </Box>
      <Box sx={{ minWidth: 0 }}>
        <Outlet />
      </Box>
    </Box>
  );
}

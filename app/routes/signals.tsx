import Box from "@mui/material/Box";
import { NavLink, Outlet } from "react-router";
import { useKeep } from "../shell/window";

const PARTS = [
  { to: "/signals/metrics", label: "Metrics" },
  { to: "/signals/logs", label: "Logs" },
  { to: "/signals/traces", label: "Traces" },
  { to: "/signals/unusual", label: "Unusual" },
  { to: "/signals/sql", label: "SQL" },
  { to: "/signals/import", label: "Import" },
] as const;

export default function Signals() {
  const keep = useKeep();
  return (
    <>
      <Box
        component="nav"
        aria-label="Parts of Signals"
        sx={{ display: "flex", gap: 0.5, mb: 1, borderBottom: 1, borderColor: "divider" }}
      >
        {PARTS.map((part) => (
          <Box
            key={part.to}
            component={NavLink}
            to={keep(part.to)}
            sx={{
              px: 1.25,
              py: 0.5,
              textDecoration: "none",
              color: "text.secondary",
              fontSize: "0.88rem",
              borderBottom: 2,
              borderColor: "transparent",
              mb: "-1px",
              "&.active": { color: "text.primary", fontWeight: 650, borderColor: "primary.main" },
            }}
          >
            {part.label}
          </Box>
        ))}
      </Box>
      <Outlet />
    </>
  );
}

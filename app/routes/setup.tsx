import Box from "@mui/material/Box";
import { NavLink, Outlet } from "react-router";
import { whyNotMe, type Right } from "#core/people/rights";
import { useKeep, useShell } from "../shell/window";

const PARTS = [
  { to: "/setup", label: "This installation" },
  { to: "/setup/services", label: "Services" },
  { to: "/setup/signals", label: "Ingest" },
  { to: "/setup/rules", label: "Rules" },
  { to: "/setup/kits", label: "Kits" },
  { to: "/setup/notifications", label: "Notifications" },
  { to: "/setup/channels", label: "Channels" },
  { to: "/setup/messages", label: "Message templates" },
  { to: "/setup/credentials", label: "Credentials" },
  { to: "/setup/people", label: "People", right: "administer" },
  { to: "/setup/tokens", label: "Tokens", right: "administer" },
  { to: "/setup/audit", label: "Audit log", right: "administer" },
  { to: "/setup/drills", label: "Drills", isDemo: true },
  { to: "/setup/mailbox", label: "Mailbox", isDemo: true },
] as const satisfies readonly { to: string; label: string; right?: Right; isDemo?: true }[];

export default function Setup() {
  const keep = useKeep();
  const { hasDrills, who } = useShell();
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "150px minmax(0, 1fr)", gap: 2 }}>
      <Box component="nav" aria-label="Parts of Setup" sx={{ display: "flex", flexDirection: "column", gap: 0.25 }}>
        {PARTS.filter((part) => hasDrills || !("isDemo" in part)).map((part) => (
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
            {"right" in part && whyNotMe(who.rights, part.right) !== undefined ? (
              <span className="hx-caption" title={whyNotMe(who.rights, part.right)}>
                {" "}
                (administrators)
              </span>
            ) : null}
          </Box>
        ))}
      </Box>
      <Box sx={{ minWidth: 0 }}>
        <Outlet />
      </Box>
    </Box>
  );
}

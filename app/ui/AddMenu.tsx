import Button from "@mui/material/Button";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { useKeep } from "../shell/window";

/** A button that asks of which kind the new thing is to be, and leads to its form. */
export function AddMenu({
  label,
  kinds,
}: {
  label: string;
  kinds: readonly { to: string; label: string; about: string }[];
}) {
  const keep = useKeep();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <>
      <Button
        variant="contained"
        aria-haspopup="menu"
        aria-expanded={anchor !== null}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {label}
      </Button>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        {kinds.map((one) => (
          <MenuItem key={one.to} component={RouterLink} to={keep(one.to)}>
            <div style={{ maxWidth: 420, whiteSpace: "normal" }}>
              {one.label}
              <div className="hx-caption">{one.about}</div>
            </div>
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}

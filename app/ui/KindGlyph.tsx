import AppsOutlined from "@mui/icons-material/AppsOutlined";
import DeveloperBoardOutlined from "@mui/icons-material/DeveloperBoardOutlined";
import DnsOutlined from "@mui/icons-material/DnsOutlined";
import HubOutlined from "@mui/icons-material/HubOutlined";
import Inventory2Outlined from "@mui/icons-material/Inventory2Outlined";
import LanOutlined from "@mui/icons-material/LanOutlined";
import MailOutlined from "@mui/icons-material/MoveToInboxOutlined";
import StorageOutlined from "@mui/icons-material/StorageOutlined";
import WebOutlined from "@mui/icons-material/WebAssetOutlined";
import ContactsOutlined from "@mui/icons-material/ContactsOutlined";
import type { SvgIconProps } from "@mui/material/SvgIcon";

/** A small picture for a kind's family; the word for the kind stands beside it or in its title. */
export function KindGlyph({ kind, ...rest }: { kind: string } & SvgIconProps) {
  const family = kind.split(".")[0];
  const props: SvgIconProps = { fontSize: "inherit", "aria-hidden": true, ...rest };
  if (kind === "host.hypervisor") return <DeveloperBoardOutlined {...props} />;
  if (kind === "app.container") return <Inventory2Outlined {...props} />;
  switch (family) {
    case "host":
      return <DnsOutlined {...props} />;
    case "net":
      return <LanOutlined {...props} />;
    case "db":
      return <StorageOutlined {...props} />;
    case "queue":
      return <MailOutlined {...props} />;
    case "dir":
      return <ContactsOutlined {...props} />;
    case "service":
      return <HubOutlined {...props} />;
    default:
      return kind === "app.web" ? <WebOutlined {...props} /> : <AppsOutlined {...props} />;
  }
}

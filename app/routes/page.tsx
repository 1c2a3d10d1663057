import Box from "@mui/material/Box";
import { Outlet } from "react-router";
import type { Route } from "./+types/page";
import { Failure } from "../ui/Failure";

/** Holds every page, so that one that fails leaves the frame standing. */
export default function Page() {
  return <Outlet />;
}

export function ErrorBoundary({ error }: Route.ErrorBoundaryProps) {
  return (
    <Box sx={{ maxWidth: 640, mx: "auto", py: 6 }}>
      <Failure error={error} />
    </Box>
  );
}

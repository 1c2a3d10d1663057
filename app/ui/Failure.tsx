import Typography from "@mui/material/Typography";
import { isRouteErrorResponse } from "react-router";
import { KeepLink } from "./KeepLink";

/** Says why a page could not be shown and where to go on. */
export function Failure({ error }: { error: unknown }) {
  const known = isRouteErrorResponse(error);
  const sentence = known
    ? typeof error.data === "string" && error.data
      ? error.data
      : `This page answered ${error.status}.`
    : "Something went wrong while this page was made. It is in the log; try again.";
  return (
    <>
      <Typography variant="h1" gutterBottom>
        {known && error.status === 404 ? "Not found" : "This did not work"}
      </Typography>
      <Typography sx={{ mb: 2 }}>{sentence}</Typography>
      <KeepLink to="/">Go to Watch</KeepLink>
    </>
  );
}

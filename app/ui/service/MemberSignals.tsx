import Box from "@mui/material/Box";
import { useEffect } from "react";
import { useFetcher, useLocation } from "react-router";
import type { loader } from "../../routes/service-signals";
import { Room } from "../charts/InSight";
import { LinesCard } from "../charts/LinesCard";

/** Room kept for the first row of drawings until they are there. */
const ROOM = { height: 268, label: "What its members measure" };

/** What the members of a service measure, the highest of each metric; asked for as soon as the page stands. */
export function MemberSignals({ uid }: { uid: string }) {
  const { search } = useLocation();
  const { load, data } = useFetcher<typeof loader>();
  const address = `/services/${uid}/signals${search}`;
  useEffect(() => void load(address), [load, address]);
  if (!data) return <Room {...ROOM} />;
  if (data.signals.length === 0) return null;
  return (
    <Box sx={{ display: "grid", gap: 1, gridTemplateColumns: "repeat(auto-fill, minmax(380px, 1fr))" }}>
      {data.signals.map((one) => (
        <LinesCard
          key={one.metric}
          title={one.title}
          note={
            one.count > one.lines.length
              ? `highest ${one.lines.length} of ${one.count}`
              : `${one.count} ${one.count === 1 ? "series" : "in all"}`
          }
          selection={one.selection}
          lines={one.lines}
          stepMs={one.stepMs}
          fromMs={data.fromMs}
          toMs={data.toMs}
        />
      ))}
    </Box>
  );
}

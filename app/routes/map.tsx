import PushPinOutlined from "@mui/icons-material/PushPinOutlined";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useSearchParams } from "react-router";
import { z } from "zod";
import { dayAndTime } from "#core/time/windows";
import type { Route } from "./+types/map";
import { usePin } from "../shell/tray";
import { useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { PageHead } from "../ui/Page";
import { StrataMap } from "../ui/map/StrataMap";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = () => [{ title: "Map · Holotaxis" }];

const schema = z.object({
  service: z.string().max(60).catch(""),
  site: z.string().max(60).catch(""),
  around: z.coerce.number().int().min(1).optional().catch(undefined),
});

export async function loader({ request, context }: Route.LoaderArgs) {
  const { atMs } = windowOf(request, context.now());
  const asked = schema.parse(Object.fromEntries(new URL(request.url).searchParams));
  const map = await context.ask("map", {
    atMs,
    ...(asked.around
      ? { around: asked.around }
      : asked.site
        ? { site: asked.site }
        : asked.service
          ? { service: asked.service }
          : {}),
  });
  return { map, asked };
}

export default function MapPage({ loaderData: { map, asked } }: Route.ComponentProps) {
  const { window: now } = useShell();
  const [, setParams] = useSearchParams();
  const pin = usePin();
  const centre = asked.around === undefined ? undefined : map.cards.find((card) => card.componentId === asked.around);
  const service = map.services.find((one) => one.uid === asked.service);
  const what = centre
    ? `${centre.name}${centre.sub ? ` on ${centre.sub}` : ""} and its neighbours`
    : asked.site
      ? asked.site
      : service
        ? service.name
        : "All services";
  const chosen = centre
    ? `around:${asked.around}`
    : asked.site
      ? `site:${asked.site}`
      : service
        ? `service:${service.uid}`
        : "";
  const choose = (value: string) =>
    setParams((params) => {
      for (const name of ["service", "site", "around"]) params.delete(name);
      const [name, ...rest] = value.split(":");
      if (name && rest.length) params.set(name, rest.join(":"));
      return params;
    });
  const components = map.cards.filter((card) => card.componentId !== null).length;
  const ill = chosen === "" ? map.cards.filter((card) => card.severity !== "cleared").length : map.unwell;
  const counted =
    chosen === "" ? `${map.cards.length} services and what they rely on` : `${what}: ${components} components`;
  const sentence =
    map.cards.length === 0
      ? "Nothing to draw: no component of this part was known at this time."
      : `${counted}, ${ill === 0 ? "all well" : `${ill} unwell`}${now.live ? "" : `, as of ${dayAndTime(now.atMs, now.nowMs)}`}.`;
  return (
    <>
      <PageHead
        name="Map"
        sentence={sentence}
        actions={
          <>
            <TextField
              select
              label="Part of the estate"
              value={chosen}
              onChange={(event) => choose(event.target.value)}
              sx={{ width: 250 }}
              slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
            >
              <MenuItem value="">All services</MenuItem>
              {centre ? <MenuItem value={`around:${asked.around}`}>Round {centre.name}</MenuItem> : null}
              {map.services.map((one) => (
                <MenuItem key={one.uid} value={`service:${one.uid}`}>
                  {one.name}
                </MenuItem>
              ))}
              {map.sites.map((one) => (
                <MenuItem key={one.site} value={`site:${one.site}`}>
                  Site {one.site} ({one.count})
                </MenuItem>
              ))}
            </TextField>
            <RightButton
              right="respond"
              variant="outlined"
              startIcon={<PushPinOutlined />}
              onClick={() =>
                pin({ kind: "map", title: `Map of ${what}`, detail: chosen, fromMs: now.fromMs, toMs: now.toMs })
              }
            >
              Pin
            </RightButton>
          </>
        }
      />
      {map.tooMany ? (
        <p>
          That is {map.total} components, more than can be read at once. Hosts only are drawn; choose a service, or open
          one host's own map.
        </p>
      ) : null}
      <StrataMap
        key={chosen}
        map={map}
        height="calc(100vh - 262px)"
        {...(centre?.componentId ? { highlight: centre.componentId } : {})}
      />
    </>
  );
}

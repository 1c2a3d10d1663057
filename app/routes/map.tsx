import Box from "@mui/material/Box";
import PushPinOutlined from "@mui/icons-material/PushPinOutlined";
import { useNavigate, useSearchParams } from "react-router";
import { dayAndTime } from "#core/time/windows";
import type { MapCard } from "#server/pages/map/page";
import type { Route } from "./+types/map";
import { useAnswer } from "../shell/answer";
import { usePin } from "../shell/tray";
import { useKeep, useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { askedOf, questionOf } from "../shell/map-question";
import { formOf } from "../shell/answers.server";
import { actOnViews } from "../shell/views.server";
import { Film } from "../ui/map/Film";
import { MapTools } from "../ui/map/MapTools";
import { GroupList } from "../ui/map/GroupList";
import { Panel } from "../ui/map/Panel";
import { SavedMaps } from "../ui/map/SavedMaps";
import { StrataMap, type MapData } from "../ui/map/StrataMap";
import { Empty, PageHead } from "../ui/Page";
import { RightButton } from "../ui/RightButton";

export const meta: Route.MetaFunction = () => [{ title: "Map · Holotaxis" }];

export async function loader({ request, context }: Route.LoaderArgs) {
  const { fromMs, atMs } = windowOf(request, context.now());
  const { show, view, ...asked } = askedOf(request);
  const question = { atMs, fromMs, ...questionOf(asked), ...(context.who ? { who: context.who.name } : {}) };
  const [map, panel] = await Promise.all([
    context.ask("map", question),
    show ? context.ask("mapPanel", { ...question, show }) : null,
  ]);
  return { map, panel, asked: { ...asked, show, view } };
}

export async function action({ request, context }: Route.ActionArgs) {
  return (await actOnViews(context, "map", await formOf(request)))?.answer ?? null;
}

function sentenceOf(map: MapData): string {
  const { way, total, unwell, name, only, marked } = map;
  if (way === null) return "Nothing joins these two components: no relation leads from one to the other.";
  if (way)
    return `${way.from} ${way.direction === "backward" ? "is needed by" : way.direction === "forward" ? "needs" : "and"} ${way.to}${way.direction === "mixed" ? " hang together" : ""}: ${way.steps} ${way.steps === 1 ? "step" : "steps"}, ${total} components on the way.`;
  if (map.cards.length === 0)
    return only === "unwell"
      ? `${name}: nothing is unwell.`
      : only === "changed"
        ? `${name}: nothing changed in this window.`
        : "Nothing to draw: no component of this part was known at this time.";
  const what = only === "unwell" ? "unwell" : only === "changed" ? "changed" : "";
  return `${name}: ${total.toLocaleString("en-GB")} ${what ? `${what} ` : ""}${total === 1 ? "component" : "components"}${only === "unwell" ? "" : `, ${unwell === 0 ? "all well" : `${unwell} unwell`}`}${marked === null ? "" : `; ${marked === 0 ? "nothing differs" : `${marked.toLocaleString("en-GB")} ${marked === 1 ? "differs" : "differ"}`} from the beginning of this window`}`;
}

/** Addresses of this page with something else shown, opened or asked for: every step on a map is a link. */
function useMapAddresses() {
  const [params] = useSearchParams();
  const keep = useKeep();
  const changed = (alter: (params: URLSearchParams) => void): string => {
    const next = new URLSearchParams(params);
    alter(next);
    const text = next.toString();
    return text ? `/map?${text}` : "/map";
  };
  const showing = (show: string) => changed((next) => next.set("show", show));
  const start = params.get("b") ? null : params.get("a");
  return {
    params,
    showing,
    /** The component from which a way is asked for, while its other end is chosen. */
    start,
    withoutStart: changed((next) => next.delete("a")),
    closed: changed((next) => next.delete("show")),
    /** What a card leads to: the panel beside the map, or, when a way is asked for, that way. */
    chosenBy: ({ id, componentId }: MapCard) =>
      start && componentId !== null ? keep(`/map?a=${start}&b=${componentId}`) : showing(id),
    toggled: (key: string) =>
      changed((next) => {
        const open = next.getAll("open");
        next.delete("open");
        for (const one of open) if (one !== key && !one.startsWith(`${key}/`)) next.append("open", one);
        if (!open.includes(key)) next.append("open", key);
      }),
    wayFrom: (componentId: number) =>
      changed((next) => {
        next.delete("b");
        next.delete("show");
        next.set("a", String(componentId));
      }),
  };
}

export default function MapPage({ loaderData: { map, panel, asked }, actionData }: Route.ComponentProps) {
  const { window: now } = useShell();
  const keep = useKeep();
  const navigate = useNavigate();
  const { params, showing, chosenBy, toggled, closed, start, withoutStart, wayFrom } = useMapAddresses();
  const centre = asked.around ? map.cards.find((card) => card.componentId === asked.around) : undefined;
  const sentence = sentenceOf(map);
  const scopeKey = JSON.stringify([
    asked.service,
    asked.site,
    asked.around,
    asked.a,
    asked.b,
    asked.collection,
    asked.incident,
  ]);
  return (
    <>
      <PageHead
        name="Map"
        sentence={`${sentence.replace(/\.$/, "")}${now.live ? "" : `, as of ${dayAndTime(now.atMs, now.nowMs)}`}.`}
        actions={
          <>
            <Film />
            <PinMap name={map.name} params={params} />
          </>
        }
      />
      <MapTools map={map} asked={asked} />
      <SavedMaps saved={map.saved} query={params.toString()} refusal={useAnswer(actionData ?? undefined)} />
      {start ? (
        <p role="status">
          Choose the component at the other end of the way.{" "}
          <a className="hx-link" href={withoutStart}>
            Cancel
          </a>
        </p>
      ) : null}
      <div className={panel ? "hx-map-page hx-with-panel" : "hx-map-page"}>
        {map.cards.length === 0 ? (
          <Empty>Choose another part of the estate, or show everything.</Empty>
        ) : asked.view === "list" ? (
          <Box className="hx-map-list" role="region" aria-label="Groups" tabIndex={0}>
            <GroupList map={map} addressOf={chosenBy} toggleOf={toggled} chosen={asked.show} />
          </Box>
        ) : (
          <StrataMap
            key={`${scopeKey} ${map.by.join(",")} ${asked.only}`}
            map={map}
            height="calc(100vh - 304px)"
            addressOf={chosenBy}
            toggleOf={toggled}
            chosen={asked.show || undefined}
            onChoose={(key) => void navigate(showing(key), { preventScrollReset: true })}
            {...(centre?.componentId ? { highlight: centre.componentId } : {})}
          />
        )}
        {panel ? (
          <Panel
            panel={panel}
            nowMs={now.nowMs}
            showing={showing}
            closed={closed}
            around={(componentId) => keep(`/map?around=${componentId}&up=2&down=2`)}
            wayFrom={wayFrom}
          />
        ) : null}
      </div>
    </>
  );
}

function PinMap({ name, params }: { name: string; params: URLSearchParams }) {
  const { window: now } = useShell();
  const pin = usePin();
  return (
    <RightButton
      right="respond"
      variant="outlined"
      startIcon={<PushPinOutlined />}
      onClick={() =>
        pin({
          kind: "map",
          title: `Map of ${name}`,
          detail: params.toString(),
          fromMs: now.fromMs,
          toMs: now.toMs,
          address: `/map?${params.toString()}`,
        })
      }
    >
      Pin
    </RightButton>
  );
}

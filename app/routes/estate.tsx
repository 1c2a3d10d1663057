import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { DataGrid, type GridColDef } from "@mui/x-data-grid";
import { useEffect, useState } from "react";
import { Link as RouterLink, useNavigate, useNavigation } from "react-router";
import { z } from "zod";
import { kindInfo } from "#core/catalogue/kinds";
import { dayAndTime } from "#core/time/windows";
import type { EstateRow } from "#server/store/estate";
import type { Route } from "./+types/estate";
import { applyChanges, useChangeParams } from "../shell/params";
import { useKeep, useShell } from "../shell/window";
import { windowOf } from "../shell/window.server";
import { KeepLink } from "../ui/KeepLink";
import { KindGlyph } from "../ui/KindGlyph";
import { PageHead } from "../ui/Page";
import { SeverityLabel } from "../ui/SeverityMark";

export const meta: Route.MetaFunction = () => [{ title: "Estate · Holotaxis" }];

const SORTS = ["name", "kind", "site", "address", "lastSeenAt", "severity"] as const;
const schema = z.object({
  q: z.string().trim().max(80).catch(""),
  kind: z.string().max(40).catch(""),
  site: z.string().max(60).catch(""),
  health: z.enum(["", "unwell", "well"]).catch(""),
  sort: z.enum(SORTS).catch("severity"),
  order: z.enum(["asc", "desc"]).catch("desc"),
  page: z.coerce.number().int().min(0).max(100_000).catch(0),
  size: z.coerce
    .number()
    .int()
    .refine((size) => [25, 50, 100].includes(size))
    .catch(25),
});

export async function loader({ request, context }: Route.LoaderArgs) {
  const { atMs } = windowOf(request, context.now());
  const asked = schema.parse(Object.fromEntries(new URL(request.url).searchParams));
  const found = await context.ask("estate", {
    atMs,
    search: asked.q,
    kind: asked.kind,
    site: asked.site,
    health: asked.health,
    sort: asked.sort,
    descending: asked.order === "desc",
    page: asked.page,
    pageSize: asked.size,
  });
  return { ...found, asked };
}

export default function Estate({ loaderData: { rows, total, kinds, sites, asked } }: Route.ComponentProps) {
  const { window: now } = useShell();
  const keep = useKeep();
  const navigate = useNavigate();
  const loading = useNavigation().state === "loading";
  const [typed, setTyped] = useState(asked.q);
  const changeParams = useChangeParams();
  const change = (changes: Record<string, string>) =>
    changeParams((params) => {
      if (!("page" in changes)) params.delete("page");
      applyChanges(params, changes);
    }, true);
  useEffect(() => {
    if (typed === asked.q) return;
    const timer = setTimeout(() => change({ q: typed }), 200);
    return () => clearTimeout(timer);
  });
  const all = kinds.reduce((sum, one) => sum + one.count, 0);
  const filtered = Boolean(asked.q || asked.kind || asked.site || asked.health);
  const columns: GridColDef<EstateRow>[] = [
    {
      field: "name",
      headerName: "Component",
      flex: 2,
      minWidth: 210,
      renderCell: ({ row }) => (
        <Stack direction="row" sx={{ alignItems: "center", gap: 1, height: "100%" }}>
          <KindGlyph kind={row.kind} sx={{ fontSize: 16, color: "text.secondary" }} />
          <KeepLink to={`/estate/${row.id}`} clip>
            {row.name}
          </KeepLink>
        </Stack>
      ),
    },
    {
      field: "kind",
      headerName: "Kind",
      flex: 1,
      minWidth: 140,
      valueGetter: (_value, row) => kindInfo(row.kind).label,
    },
    { field: "site", headerName: "Site", flex: 0.8, minWidth: 100 },
    { field: "address", headerName: "Address", minWidth: 110, valueGetter: (_value, row) => row.address ?? "" },
    {
      field: "services",
      headerName: "Services",
      flex: 1.6,
      minWidth: 150,
      sortable: false,
      valueGetter: (_value, row) => row.services ?? "–",
    },
    {
      field: "severity",
      headerName: "Health",
      minWidth: 110,
      renderCell: ({ row }) => (
        <Box sx={{ display: "flex", alignItems: "center", height: "100%" }}>
          <SeverityLabel severity={row.severity} />
        </Box>
      ),
    },
    {
      field: "lastSeenAt",
      headerName: "Last seen",
      minWidth: 160,
      valueGetter: (_value, row) => dayAndTime(row.lastSeenAt, now.nowMs),
    },
  ];
  return (
    <>
      <PageHead
        name="Estate"
        sentence={
          all === 0
            ? "Nothing is known yet at this instant. Add a source under Discover and sweep it."
            : filtered
              ? `${total.toLocaleString("en-GB")} of ${all.toLocaleString("en-GB")} components fit.`
              : `${all.toLocaleString("en-GB")} components of ${kinds.length} kinds at ${sites.length} ${sites.length === 1 ? "site" : "sites"}.`
        }
      />
      <Stack direction="row" sx={{ gap: 1, mb: 1 }}>
        <TextField
          label="Name or address"
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          type="search"
          sx={{ width: 220 }}
        />
        <TextField
          select
          label="Kind"
          value={asked.kind}
          onChange={(event) => change({ kind: event.target.value })}
          sx={{ width: 200 }}
          slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
        >
          <MenuItem value="">every kind</MenuItem>
          {kinds.map((one) => (
            <MenuItem key={one.kind} value={one.kind}>
              {kindInfo(one.kind).label} ({one.count})
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="Site"
          value={asked.site}
          onChange={(event) => change({ site: event.target.value })}
          sx={{ width: 170 }}
          slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
        >
          <MenuItem value="">every site</MenuItem>
          {sites.map((one) => (
            <MenuItem key={one.site} value={one.site}>
              {one.site} ({one.count})
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="Health"
          value={asked.health}
          onChange={(event) => change({ health: event.target.value })}
          sx={{ width: 140 }}
          slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
        >
          <MenuItem value="">any</MenuItem>
          <MenuItem value="unwell">unwell</MenuItem>
          <MenuItem value="well">well</MenuItem>
        </TextField>
        {filtered ? (
          <Button component={RouterLink} to={keep("/estate")} onClick={() => setTyped("")} color="inherit">
            Clear
          </Button>
        ) : null}
      </Stack>
      <DataGrid
        rows={rows}
        columns={columns}
        rowCount={total}
        loading={loading}
        density="compact"
        paginationMode="server"
        sortingMode="server"
        disableColumnMenu
        disableColumnFilter
        disableRowSelectionOnClick
        pageSizeOptions={[25, 50, 100]}
        paginationModel={{ page: asked.page, pageSize: asked.size }}
        onPaginationModelChange={(model) => change({ page: String(model.page), size: String(model.pageSize) })}
        sortModel={[{ field: asked.sort, sort: asked.order }]}
        onSortModelChange={([model]) => change({ sort: model?.field ?? "severity", order: model?.sort ?? "desc" })}
        onRowDoubleClick={({ row }) => void navigate(keep(`/estate/${(row as EstateRow).id}`))}
        aria-label="Components"
        localeText={{
          noRowsLabel: filtered ? "No component fits this filter. Clear it to see all." : "No components yet.",
        }}
        sx={{
          bgcolor: "background.paper",
          minHeight: 320,
          "--DataGrid-t-header-background-base": "var(--mui-palette-background-paper)",
        }}
      />
    </>
  );
}

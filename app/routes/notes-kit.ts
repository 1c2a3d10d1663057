import type { Route } from "./+types/notes-kit";

/** Notes that people wrote here, as a kit's file. */
export async function loader({ context }: Route.LoaderArgs) {
  const kit = await context.ask("notesKit", undefined);
  return new Response(`${JSON.stringify(kit, null, 2)}\n`, {
    headers: {
      "content-type": "application/json; charset=utf-8",
      "content-disposition": 'attachment; filename="notes.json"',
    },
  });
}

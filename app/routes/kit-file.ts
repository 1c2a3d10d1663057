import type { Route } from "./+types/kit-file";
import { missing } from "../shell/answers.server";

/** A kit's file, with what people made of its rules and notes here. */
export async function loader({ params, context }: Route.LoaderArgs) {
  const kit = await context.ask("kitFile", { root: context.root, uid: params.uid });
  if (!kit) throw missing("kit", params.uid);
  return new Response(`${JSON.stringify(kit, null, 2)}\n`, {
    headers: {
      "content-type": "application/json; charset=utf-8",
      "content-disposition": `attachment; filename="${params.uid.replaceAll(/[^a-z0-9-]/g, "")}.json"`,
    },
  });
}

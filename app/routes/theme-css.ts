import { sheet } from "../theme/sheet.server";

export const loader = () =>
  new Response(sheet, {
    headers: { "Content-Type": "text/css; charset=utf-8", "Cache-Control": "public, max-age=31536000, immutable" },
  });

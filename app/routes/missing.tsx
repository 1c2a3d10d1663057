import { missing } from "../shell/answers.server";
import type { Route } from "./+types/missing";

export function loader({ params }: Route.LoaderArgs) {
  throw missing("page", params["*"]);
}

export default function Missing() {
  return null;
}

import { redirect } from "react-router";
import type { Route } from "./+types/sign-out";

export const loader = () => redirect("/");

export async function action({ context }: Route.ActionArgs) {
  return redirect("/sign-in", { headers: await context.entrance.signOut() });
}

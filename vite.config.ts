import { reactRouter } from "@react-router/dev/vite";
import { fileURLToPath } from "node:url";
import { defineConfig } from "vite";

const room = (name: string) => fileURLToPath(new URL(`./${name}`, import.meta.url));

export default defineConfig({
  plugins: [reactRouter()],
  resolve: { alias: { "~": room("app"), "#core": room("core"), "#server": room("server") } },
  ssr: { noExternal: [/^@mui\//] },
  build: { chunkSizeWarningLimit: 1500 },
});

import type { Icon } from "#core/catalogue/kinds";

/** Outlines on a 24 by 24 field, drawn with a line of two. */
const OUTLINES: Readonly<Record<Icon, string>> = {
  host: "M4 4H20V11H4Z M4 13H20V20H4Z M7 7.5H9 M7 16.5H9",
  hypervisor: "M3 3H21V21H3Z M7 7H11V11H7Z M13 7H17V11H13Z M7 13H11V17H7Z",
  network: "M9 3H15V8H9Z M3 16H9V21H3Z M15 16H21V21H15Z M12 8V12 M6 16V12H18V16",
  container: "M3 7L12 3L21 7V17L12 21L3 17Z M3 7L12 11L21 7 M12 11V21",
  process: "M5 5H19V19H5Z M9 9H15V15H9Z M9 2V5 M15 2V5 M9 19V22 M15 19V22",
  web: "M3 5H21V19H3Z M3 9H21",
  data: "M4 6C4 3 20 3 20 6V18C20 21 4 21 4 18Z M4 6C4 9 20 9 20 6 M4 12C4 15 20 15 20 12",
  queue: "M3 8H8V16H3Z M10 8H15V16H10Z M17 12H22 M20 9.5L22.5 12L20 14.5",
  directory: "M4 3H20V21H4Z M12 8A2 2 0 1 1 11.9 8Z M8 17C8 13.5 16 13.5 16 17",
  service: "M12 9A3 3 0 1 1 11.9 9Z M12 3V9 M12 15V21 M3 12H9 M15 12H21",
};

/** The pictures as masks: one element each on the page, in the colour of its ground. */
export const glyphStyles = Object.fromEntries(
  Object.entries(OUTLINES).map(([icon, outline]) => [
    `.hx-glyph-${icon}`,
    {
      maskImage: `url("data:image/svg+xml,${encodeURIComponent(
        `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 24 24" fill="none" stroke="#000" stroke-width="2"><path d="${outline}"/></svg>`,
      )}")`,
    },
  ]),
);

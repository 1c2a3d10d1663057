const plain = (name: string) => name.toLowerCase().replaceAll(/[^a-z0-9/.]/g, "");

/** Whether two names are those of one port of a switch: they are written in many ways, as "port 9" and "Port9". */
export const isSamePort = (a: string, b: string): boolean => plain(a) === plain(b) && plain(a) !== "";

/** What server and web say to each other, written once: the server validates with these classes, the web uses them as types. */

export * from "./bench-run.dto.ts";
export * from "./build-settings.dto.ts";
export * from "./design.dto.ts";
export * from "./disk-use.dto.ts";
export * from "./events.dto.ts";
export * from "./target.dto.ts";

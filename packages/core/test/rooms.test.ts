import { readdirSync, readFileSync } from "node:fs";
import { dirname, join, relative } from "node:path";
import { fileURLToPath } from "node:url";
import { describe, expect, it } from "vitest";

/** Which part of the repository may use which: see docs/architecture.md. */
const root = fileURLToPath(new URL("../../../", import.meta.url));
const skipped = new Set(["node_modules", "dist", "public"]);

function filesBelow(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    if (skipped.has(entry.name) || entry.name.startsWith(".")) return [];
    const path = join(folder, entry.name);
    if (entry.isDirectory()) return filesBelow(path);
    return /\.(?:tsx?|js)$/.test(entry.name) ? [path] : [];
  });
}

const withoutComments = (text: string) => text.replace(/\/\*[\s\S]*?\*\//g, "").replace(/(^|\s)\/\/.*$/gm, "$1");
const texts = new Map(
  ["packages", "apps", "e2e", "bench", "scripts"]
    .flatMap((folder) => filesBelow(join(root, folder)))
    .map((path) => [path, withoutComments(readFileSync(path, "utf8"))]),
);

/** Files that a file takes something from by a relative path, types and lazy ones among them. */
function importsOf(path: string): string[] {
  const found = texts.get(path)!.matchAll(/(?:\bfrom\s+|\bimport\s*\(\s*|\bimport\s+|\bURL\(\s*)"(\.[^"]+)"/g);
  return [...found].map((match) => join(dirname(path), match[1])).filter((target) => texts.has(target));
}

interface Edge {
  readonly from: string;
  readonly to: string;
  /** The two files. */
  readonly files: string;
}

/** Uses across rooms below a folder. @param roomOf Of a path within the folder. */
function edgesIn(folder: string, roomOf: (path: string) => string): Edge[] {
  const base = join(root, folder);
  return [...texts.keys()]
    .filter((path) => path.startsWith(base))
    .flatMap((path) =>
      importsOf(path).flatMap((target) => {
        if (!target.startsWith(base)) return [];
        const [own, other] = [relative(base, path), relative(base, target)];
        const [from, to] = [roomOf(own), roomOf(other)];
        return from === to ? [] : [{ from, to, files: `${own} -> ${other}` }];
      }),
    );
}

/** Rooms of the core in the order of the flow: each uses those before it. */
const coreRooms = [
  "common",
  "logic",
  "hdl",
  "device",
  "netlist",
  "constraints",
  "elaborate",
  "simulate",
  "synth",
  "layout",
  "timing",
  "pack",
  "place",
  "route",
  "bitstream",
  "jtag",
  "silicon",
  "formats",
  "circuit",
  "prove",
  "flow",
  "index.ts",
];

/** Folders of the server, likewise: what is kept, who keeps it, what works on it, and the routes to all of it. */
const serverRooms = [
  "database",
  "common",
  "texts",
  "records",
  "notices",
  "queue",
  "artifacts",
  "readings",
  "trials",
  "targets",
  "designs",
  "bench-runs",
  "jobs",
  "events",
  "routes",
  "app.module.ts",
  "server.ts",
  "main.ts",
];

/** Folders of the page, likewise. */
const webRooms = [
  "engine",
  "pins",
  "ui",
  "app",
  "workers",
  "focus",
  "sessions",
  "start",
  "workbench",
  "stations",
  "main.tsx",
];

/** Rooms that lie within rooms. The two languages know nothing of each other but where designs mix them. */
const innerRooms = [
  "hdl/verilog",
  "hdl/vhdl",
  "elaborate/verilog",
  "elaborate/vhdl",
  "simulate/verilog",
  "simulate/vhdl",
];

describe("the core", () => {
  const edges = edgesIn("packages/core/src/", (path) => path.split("/")[0]);
  it("has the rooms that are known, each with words on what it is for", () => {
    const found = new Set([...texts.keys()].flatMap((path) => path.match(/packages\/core\/src\/([^/]+)/)?.[1] ?? []));
    expect([...found].sort()).toEqual([...coreRooms].sort());
    for (const room of coreRooms.slice(1, -1))
      expect(readFileSync(join(root, "packages/core/src", room, "index.ts"), "utf8")).toMatch(/^\/\*\*/);
  });
  it("uses no room against the flow", () => {
    const against = edges.filter(({ from, to }) => coreRooms.indexOf(to) > coreRooms.indexOf(from));
    expect(against.map(({ files }) => files)).toEqual([]);
  });
  it("knows of no interface, no server and no file system", () => {
    for (const [path, text] of texts) {
      if (!path.includes("/packages/core/src/")) continue;
      const outside = [...text.matchAll(/\bfrom\s+"([^."][^"]*)"/g)].map((match) => match[1]);
      expect(outside.filter((name) => /^node:|react|nestjs|sequelize|^@gate-clock/.test(name))).toEqual([]);
    }
  });
  it("keeps the languages apart", () => {
    const inner = edgesIn("packages/core/src/", (path) => innerRooms.find((room) => path.startsWith(`${room}/`)) ?? "");
    const both = inner.filter(({ from, to }) => /vhdl/.test(from) !== /vhdl/.test(to) && from !== "" && to !== "");
    expect(both.map(({ files }) => files).filter((files) => !/mixed|joined|vhdl\/names/.test(files))).toEqual([]);
  });
});

describe("server and page", () => {
  it("use packages in one direction", () => {
    const order = ["core", "contract", "sealed", "cli", "server", "web", "e2e"];
    for (const [path, text] of texts) {
      const own = relative(root, path).match(/^(?:packages|apps)\/([^/]+)\/src/)?.[1];
      if (own === undefined) continue;
      for (const [, used] of text.matchAll(/\bfrom\s+"@gate-clock\/(\w+)/g))
        expect(order.indexOf(used), `${path} uses ${used}`).toBeLessThan(order.indexOf(own));
    }
  });
  it("use no folder of the server against the flow", () => {
    const edges = edgesIn("apps/server/src/", (path) => path.split("/")[0]);
    const found = new Set(edges.flatMap(({ from, to }) => [from, to]));
    expect([...found].sort()).toEqual([...serverRooms].sort());
    const against = edges.filter(({ from, to }) => serverRooms.indexOf(to) > serverRooms.indexOf(from));
    expect(against.map(({ files }) => files)).toEqual([]);
  });
  it("use no folder of the page against the flow", () => {
    const edges = edgesIn("apps/web/src/", (path) => path.split("/")[0]);
    const found = new Set(edges.flatMap(({ from, to }) => [from, to]));
    expect([...found].sort()).toEqual([...webRooms].sort());
    const against = edges.filter(({ from, to }) => webRooms.indexOf(to) > webRooms.indexOf(from));
    expect(against.map(({ files }) => files)).toEqual([]);
    // stations know each other by name alone
    const stations = edgesIn("apps/web/src/stations/", (path) => path.split("/")[0]);
    const across = stations.filter(({ from }) => !/^(?:heads|registry)\.ts$/.test(from));
    expect(across.map(({ files }) => files)).toEqual([]);
  });
  it.each(["apps/server/src/", "apps/web/src/", "apps/cli/src/"])("%s has no ring of files", (folder) => {
    expect(
      ringsOf(
        [...texts.keys()].filter((path) => path.startsWith(join(root, folder))),
        true,
      ),
    ).toEqual([]);
  });
});

/** Files that use each other in a ring. @param values Uses of types do not count. */
function ringsOf(paths: readonly string[], values: boolean): string[][] {
  const graph = new Map(
    paths.map((path) => {
      const types = new Set(
        [...texts.get(path)!.matchAll(/\b(?:import|export)\s+type\b[^;]*?\bfrom\s+"(\.[^"]+)"/g)].map((match) =>
          join(dirname(path), match[1]),
        ),
      );
      return [path, importsOf(path).filter((target) => !values || !types.has(target))];
    }),
  );
  // strongly connected components (Tarjan 1972)
  const index = new Map<string, number>();
  const low = new Map<string, number>();
  const stack: string[] = [];
  const rings: string[][] = [];
  const visit = (path: string): void => {
    index.set(path, index.size);
    low.set(path, index.get(path)!);
    stack.push(path);
    for (const next of graph.get(path) ?? []) {
      if (!graph.has(next)) continue;
      if (!index.has(next)) visit(next);
      if (stack.includes(next)) low.set(path, Math.min(low.get(path)!, low.get(next)!));
    }
    if (low.get(path) !== index.get(path)) return;
    const ring = stack.splice(stack.indexOf(path));
    if (ring.length > 1) rings.push(ring.map((each) => relative(root, each)));
  };
  for (const path of paths) if (!index.has(path)) visit(path);
  return rings;
}

describe("what is exported", () => {
  it("is used somewhere else", () => {
    const users = new Map<string, Set<string>>();
    for (const [path, text] of texts) {
      if (path.endsWith("/core/src/index.ts") || /\/core\/src\/\w+\/index\.ts$/.test(path)) continue;
      for (const name of new Set(text.match(/[A-Za-z_$][\w$]*/g) ?? [])) {
        const known = users.get(name);
        if (known) known.add(path);
        else users.set(name, new Set([path]));
      }
    }
    const unused: string[] = [];
    const declaration =
      /^export\s+(?:abstract\s+)?(?:async\s+)?(?:const|let|function\*?|class|interface|type|enum)\s+([A-Za-z_$][\w$]*)/gm;
    for (const [path, text] of texts) {
      const own = relative(root, path);
      if (!/^(?:packages|apps)\/\w+\/src\//.test(own)) continue;
      for (const [, name] of text.matchAll(declaration))
        if ((users.get(name)?.size ?? 0) < 2) unused.push(`${own}: ${name}`);
    }
    expect(unused).toEqual([]);
  });
});

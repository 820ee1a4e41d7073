import type { HierarchyNode } from "@gate-clock/core";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { ArrowUpToLine, Box } from "lucide-react";
import { useMemo } from "react";
import { api } from "../../app/api.ts";
import { updateDesign } from "../../app/queries.ts";
import { useActs, useCheckResult, useDesign } from "../../workbench/context.ts";

const mostRows = 400;
const moduleOf = (node: HierarchyNode) => node.module.replace(/ #.*/, "");

/** Instances below the top; which module is the top is chosen here. */
export function HierarchyTree({ root }: { root: HierarchyNode | null }) {
  const { design } = useDesign();
  const { check } = useCheckResult();
  const { showPlace } = useActs();
  const queries = useQueryClient();
  const setTop = useMutation({
    mutationFn: (top: string | null) => api.updateDesign(design.id, { top }),
    onSuccess: (saved) => {
      updateDesign(queries, design.id, (old) => ({ ...old, top: saved.top }));
      void queries.invalidateQueries({ queryKey: ["designs"] });
    },
  });
  const rows = useMemo(() => {
    const list: { node: HierarchyNode; depth: number; path: string }[] = [];
    const walk = (node: HierarchyNode, depth: number, path: string) => {
      if (list.length >= mostRows) return;
      list.push({ node, depth, path });
      for (const child of node.children) walk(child, depth + 1, `${path}/${child.instance}`);
    };
    if (root) walk(root, 0, root.instance);
    return list;
  }, [root]);
  const modules = check?.modules ?? [];
  if (modules.length === 0) return null;
  return (
    <section className="flex max-h-[50%] min-h-0 flex-col border-t border-line" aria-label="Hierarchy">
      <div className="flex items-center gap-2 px-3 pt-2 pb-1">
        <h2 className="flex-1 text-[13px] font-semibold text-soft">Hierarchy</h2>
        <label className="flex min-w-0 items-center gap-1.5 text-xs text-soft">
          Top
          <select
            className="h-6 max-w-36 min-w-0 rounded border border-line bg-panel px-1 font-mono text-xs text-ink"
            value={design.top ?? ""}
            onChange={(event) => setTop.mutate(event.target.value || null)}
            data-testid="choose-top"
          >
            <option value="">automatic</option>
            {[...new Set([...(design.top ? [design.top] : []), ...modules])].map((name) => (
              <option key={name} value={name}>
                {name}
              </option>
            ))}
          </select>
        </label>
      </div>
      {setTop.error && (
        <p className="px-3 pb-1 text-[13px] text-bad" role="alert">
          {setTop.error.message}
        </p>
      )}
      <ul className="min-h-0 overflow-auto pb-2">
        {rows.map(({ node, depth, path }) => (
          <li key={path} className="group flex items-center hover:bg-raised">
            <button
              type="button"
              className="flex min-w-0 flex-1 items-baseline gap-1.5 py-0.5 pr-1 text-left"
              style={{ paddingLeft: 12 + 14 * depth }}
              onClick={() => showPlace(node.place)}
            >
              <Box className="size-3 shrink-0 self-center text-soft" aria-hidden />
              <span className="truncate font-mono text-xs" title={path}>
                {node.instance}
              </span>
              {node.instance !== node.module && (
                <span className="truncate text-[11px] text-soft" title={node.module}>
                  {moduleOf(node)}
                </span>
              )}
            </button>
            {depth > 0 && (
              <button
                type="button"
                className="invisible mr-2 rounded p-0.5 text-soft group-focus-within:visible group-hover:visible hover:text-indigo"
                onClick={() => setTop.mutate(moduleOf(node))}
                aria-label={`Make ${moduleOf(node)} the top`}
                title={`Make ${moduleOf(node)} the top of what is built`}
              >
                <ArrowUpToLine className="size-3.5" />
              </button>
            )}
          </li>
        ))}
        {rows.length >= mostRows && <li className="px-3 text-xs text-soft">The first {mostRows} are shown.</li>}
      </ul>
    </section>
  );
}

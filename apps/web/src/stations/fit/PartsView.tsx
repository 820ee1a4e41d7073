import { carryOver, type Finding, type PartFit } from "@gate-clock/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api } from "../../app/api.ts";
import { artifactQuery, targetsQuery } from "../../app/queries.ts";
import { Button } from "../../ui/Button.tsx";
import { FindingList } from "../../ui/FindingList.tsx";
import { formatCount, formatMhz, formatPercent } from "../../ui/format.ts";
import { onlyView, stationAddress } from "../../workbench/address.ts";
import { useActs, useCheckResult, useDesign, useTexts } from "../../workbench/context.ts";
import { useFitter } from "../../workbench/use-fitter.ts";
import { useUpdateTarget } from "../../workbench/use-target.ts";
import { identityOf } from "../../workers/engine.ts";

const alwaysShown = ["LUTs", "registers", "logic tiles", "memories", "multipliers", "pins"];
const margins = [0, 10, 15, 25, 40];

/** Every part with the design's share of it, smallest that fits with the chosen margin first; one click takes it. */
export function PartsView() {
  const { trial, design } = useDesign();
  const elaborated = useQuery(artifactQuery(trial, "elaborate"));
  const netlist = elaborated.data?.netlist;
  const { result, progress, problem, start, cancel } = useFitter<PartFit[]>(
    ["parts", netlist ? identityOf(netlist) : null],
    (fitter, tell) => fitter.fitParts(netlist!, tell),
    netlist !== undefined,
  );
  const [margin, setMargin] = useState(15);
  const [wanted, setWanted] = useState<PartFit | null>(null);
  // blocks that the source asks for are shown where it does
  const shownKinds = useMemo(() => {
    const made = (result ?? []).flatMap((row) =>
      row.uses.filter((use) => use.used > 0 && /^(clock|serial) /.test(use.kind)),
    );
    return [...alwaysShown, ...new Set(made.map((use) => use.kind))];
  }, [result]);
  const { rows, best } = useMemo(() => {
    const limit = 1 - margin / 100;
    // tiles are an estimate: a part that may run out of them is never the first choice
    const isTight = (row: PartFit) =>
      row.share > limit || row.uses.some((use) => use.kind === "logic tiles" && use.used > use.available);
    const group = (row: PartFit) => (!row.fits ? 2 : isTight(row) ? 1 : 0);
    const sorted = [...(result ?? [])].sort((a, b) => group(a) - group(b) || a.cost - b.cost);
    return { rows: sorted, best: sorted.find((row) => group(row) === 0) };
  }, [result, margin]);
  if (problem) return <p className="p-5 text-bad">{problem}</p>;
  return (
    <div className="flex h-full min-h-0 flex-col bg-panel">
      <div className="flex shrink-0 flex-wrap items-center gap-3 border-b border-line px-5 py-2.5 text-[13px]">
        <p className="min-w-0 flex-1" data-testid="best-part">
          {result
            ? best
              ? `The least costly part with ${margin} % to spare is ${best.die} in ${best.package}: ${formatPercent(100 * best.share)} % of its ${best.first?.kind}.`
              : `No part has ${margin} % to spare.`
            : progress
              ? `Mapping for ${progress.figure ?? "each part"} …`
              : "Not mapped for the parts yet."}
        </p>
        {!result && progress && (
          <>
            <progress className="w-32" value={progress.fraction} aria-label="Parts mapped" />
            <Button className="h-7" onClick={cancel}>
              Cancel
            </Button>
          </>
        )}
        {!result && !progress && netlist && (
          <Button className="h-7" onClick={start}>
            Map for each part
          </Button>
        )}
        <label className="flex items-center gap-2 text-soft">
          to spare
          <select
            className="h-7 rounded-md border border-line bg-cloth px-1 text-ink"
            value={margin}
            onChange={(event) => setMargin(Number(event.target.value))}
          >
            {margins.map((each) => (
              <option key={each} value={each}>
                {each} %
              </option>
            ))}
          </select>
        </label>
      </div>
      {wanted && <Retarget wanted={wanted} onDone={() => setWanted(null)} />}
      <div className="min-h-0 flex-1 overflow-auto">
        <table className="w-full text-[13px]" data-testid="parts-table">
          <thead className="sticky top-0 bg-cloth text-xs text-soft">
            <tr className="border-b border-line text-left">
              <th className="px-5 py-1.5 font-semibold">Part</th>
              <th className="px-2 font-semibold">Family</th>
              {shownKinds.map((kind) => (
                <th key={kind} className="px-2 text-right font-semibold">
                  {kind[0].toUpperCase() + kind.slice(1)} %
                </th>
              ))}
              <th className="px-2 text-right font-semibold">Levels</th>
              <th className="px-2 text-right font-semibold" title="Before layout, slowest grade">
                fmax MHz
              </th>
              <th className="px-2 text-right font-semibold">Cost</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => {
              const isOwn = design.part.startsWith(`${row.die}-${row.package}-`);
              return (
                <tr
                  key={row.part}
                  data-testid={`part-${row.die}-${row.package}`}
                  className={`border-b border-line/60 ${row === best ? "bg-good-wash" : row.fits ? "" : "text-soft"}`}
                >
                  <td className="px-5 py-1.5 whitespace-nowrap">
                    <span className="font-mono text-xs font-semibold">
                      {row.die} {row.package}
                    </span>
                    <span className="ml-2 text-xs">
                      {row.fits
                        ? isOwn
                          ? "this one"
                          : row === best
                            ? "least costly"
                            : row.uses.some((use) => use.kind === "logic tiles" && use.used > use.available)
                              ? "logic tiles may run out"
                              : ""
                        : row.first === null
                          ? row.problem
                          : `${formatCount(row.first.used)} of ${formatCount(row.first.available)} ${row.first.kind}`}
                    </span>
                  </td>
                  <td className="px-2">{row.family}</td>
                  {shownKinds.map((kind) => {
                    const use = row.uses.find((each) => each.kind === kind);
                    const share = use && use.available > 0 ? (100 * use.used) / use.available : null;
                    return (
                      <td
                        key={kind}
                        className={`tabular px-2 text-right ${share !== null && share > 100 ? "font-semibold text-bad" : ""}`}
                      >
                        {share === null ? (use && use.used > 0 ? "none" : "–") : formatPercent(share)}
                      </td>
                    );
                  })}
                  <td className="tabular px-2 text-right">{row.levels}</td>
                  <td className="tabular px-2 text-right">{formatMhz(row.fmaxMhz)}</td>
                  <td className="tabular px-2 text-right">{row.cost.toFixed(1)}</td>
                  <td className="px-3 text-right">
                    {!isOwn && row.fits && (
                      <Button className="h-6 px-2 text-xs" onClick={() => setWanted(row)}>
                        Take it
                      </Button>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
        <p className="px-5 py-3 text-xs text-soft">
          Each row is mapped for that part. Cost is beside the cheapest part, in the slowest grade. Logic tiles are
          estimated.
        </p>
      </div>
    </div>
  );
}

/** What would not hold on another part, before it is taken. */
function Retarget({ wanted, onDone }: { wanted: PartFit; onDone: () => void }) {
  const { design, trial } = useDesign();
  const { drafts } = useTexts();
  const { check } = useCheckResult();
  const { showPlace } = useActs();
  const netlist = useQuery(artifactQuery(trial, "synth"));
  const queries = useQueryClient();
  const losses = useMemo((): Finding[] => {
    if (!netlist.data || !check) return [];
    const pinFiles = design.files
      .filter(({ kind, inUse }) => kind === "pins" && inUse)
      .map((file) => ({ name: file.path, text: drafts.text(file) }));
    return carryOver(pinFiles, check.needs, netlist.data, wanted.part);
  }, [netlist.data, check, design.files, drafts, wanted.part]);
  const save = useUpdateTarget(onDone);
  const add = useMutation({
    mutationFn: () =>
      api.createTarget(design.id, {
        name: `${wanted.die} ${wanted.package}`,
        part: wanted.part,
        like: design.targetId,
        copyRules: true,
      }),
    onSuccess: (list) => {
      queries.setQueryData(targetsQuery(design.id).queryKey, list);
      void queries.invalidateQueries({ queryKey: ["designs"] });
      setParams(onlyView({ view: "targets" }));
    },
  });
  const [, setParams] = useSearchParams();
  const errors = losses.filter((finding) => finding.severity === "error").length;
  return (
    <section className="shrink-0 border-b border-line bg-cloth px-5 py-3" data-testid="retarget">
      <div className="flex items-center gap-3">
        <p className="min-w-0 flex-1 text-[13px]">
          From <span className="font-mono text-xs">{design.part}</span> to{" "}
          <span className="font-mono text-xs font-semibold">{wanted.part}</span>:{" "}
          {losses.length === 0
            ? "all pin rules carry over."
            : `${errors || losses.length} of the pin rules will not carry over.`}
          {design.board && ` The board ${design.board} has another part; you can build, but not program it.`}
        </p>
        <Link
          className="text-[13px] text-indigo underline"
          to={stationAddress(design.id, "pins", { move: wanted.part })}
        >
          See where each pin would go
        </Link>
        <Button onClick={onDone}>Keep {design.part}</Button>
        <Button disabled={add.isPending} onClick={() => add.mutate()} data-testid="retarget-add">
          Keep both as targets
        </Button>
        <Button
          look="main"
          disabled={save.isPending}
          onClick={() => save.mutate({ part: wanted.part })}
          data-testid="retarget-take"
        >
          Take {wanted.die} {wanted.package}
        </Button>
      </div>
      {(save.error ?? add.error) && <p className="mt-1 text-[13px] text-bad">{(save.error ?? add.error)!.message}</p>}
      {losses.length > 0 && (
        <div className="mt-2 max-h-40 overflow-auto rounded border border-line bg-panel">
          <FindingList findings={losses.slice(0, 60)} onPlace={showPlace} />
        </div>
      )}
    </section>
  );
}

import {
  counterexampleVcd,
  type DesignProof,
  type ProofLink,
  proofKey,
  proofLinks,
  proofText,
  sourceDifferenceVcd,
} from "@gate-clock/core";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Activity, Download, ShieldCheck } from "lucide-react";
import { useMemo } from "react";
import { useNavigate } from "react-router";
import { api } from "../../app/api.ts";
import { artifactQuery, keptQuery } from "../../app/queries.ts";
import { Button } from "../../ui/Button.tsx";
import { formatCount, formatDuration } from "../../ui/format.ts";
import { saveBlob } from "../../ui/save-blob.ts";
import { stationAddress } from "../../workbench/address.ts";
import { useDesign, useSessions, useTexts } from "../../workbench/context.ts";
import { useFitter } from "../../workbench/use-fitter.ts";

/** Text, circuit as written, circuit as built, bits: each link shown in a worker, kept under its key. */
export function ProofView() {
  const { trial, design } = useDesign();
  const { simulation } = useSessions();
  const { sources, sourcesKey } = useTexts();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [elaborate, synth, rules, pack, place, route, image] = [
    useQuery(artifactQuery(trial, "elaborate")),
    useQuery(artifactQuery(trial, "synth")),
    useQuery(artifactQuery(trial, "rules")),
    useQuery(artifactQuery(trial, "pack")),
    useQuery(artifactQuery(trial, "place")),
    useQuery(artifactQuery(trial, "route")),
    useQuery(artifactQuery(trial, "image")),
  ];
  const kept = useQuery(keptQuery(design.id));
  const keyOf = (stage: string) => trial?.stages.find((record) => record.stage === stage)?.key ?? "";
  const key = proofKey(sourcesKey ?? "", keyOf("synth"), image.data ? keyOf("image") : "");
  const name = `proof:${design.targetId}`;
  const known = useMemo(() => {
    const value = kept.data?.find((each) => each.name === name)?.value as
      | { key?: string; proof?: DesignProof }
      | undefined;
    return value?.key === key ? (value.proof ?? null) : null;
  }, [kept.data, key, name]);
  const { result, progress, problem, start, cancel } = useFitter<DesignProof>(
    ["proof", key],
    async (fitter, tell) => {
      const layout =
        rules.data && pack.data && place.data && route.data && image.data
          ? { rules: rules.data, pack: pack.data, place: place.data, route: route.data, image: image.data }
          : null;
      const inputs = { part: trial!.part, sources, elaborate: elaborate.data!, synth: synth.data!, layout };
      const made = await fitter.prove(inputs, key, tell);
      await api.keep(design.id, name, { key, proof: made });
      void queries.invalidateQueries({ queryKey: keptQuery(design.id).queryKey });
      return made;
    },
    false,
  );
  const proof = progress ? null : (known ?? result);
  const difference = proof?.source.difference;
  const example = proof?.logic.counterexample;
  const dumpName = `${design.name.replace(/[^\w.-]+/g, "-")}-difference.vcd`;
  const dump = () =>
    new File([difference ? sourceDifferenceVcd(difference) : counterexampleVcd(example!)], dumpName, {
      type: "text/plain",
    });
  const showWaves = async () => {
    const isThere = await simulation.openDump(dump());
    if (isThere) void navigate(stationAddress(design.id, "simulate", { dump: dumpName }));
  };
  const tone = proof?.verdict === "equal" ? "text-good" : proof?.verdict === "different" ? "text-bad" : "text-warn";
  return (
    <div className="h-full overflow-auto bg-panel p-6">
      <div className="max-w-2xl">
        <p className={`text-[15px] ${proof ? tone : ""}`} data-testid="proof">
          {proof
            ? proofText(proof)
            : progress
              ? `Proving: ${progress.figure ?? "loading"} …`
              : "Run the text beside the circuit made of it, and prove that the mapped circuit does the same and that the bits make it."}
        </p>
        {progress && <progress className="mt-3 block w-full" value={progress.fraction} aria-label="Proof" />}
        <div className="mt-4 flex gap-2">
          {progress ? (
            <Button onClick={cancel}>Cancel</Button>
          ) : (
            <Button
              look={proof ? "plain" : "main"}
              disabled={!trial || !elaborate.data || !synth.data || sourcesKey === null}
              onClick={start}
              data-testid="prove"
            >
              <ShieldCheck className="size-4" /> {proof ? "Prove again" : "Prove"}
            </Button>
          )}
          {(difference || example) && (
            <>
              <Button look="main" onClick={() => void showWaves()} data-testid="difference-waves">
                <Activity className="size-4" /> Show it in the waves
              </Button>
              <Button onClick={() => saveBlob(dump(), dumpName)}>
                <Download className="size-4" /> Save as VCD
              </Button>
            </>
          )}
        </div>
        {problem && <p className="mt-3 text-bad">{problem}</p>}
        {proof && (
          <ol className="mt-5 divide-y divide-line border-y border-line" data-testid="proof-links">
            {proofLinks(proof).map((link) => (
              <li key={link.name} className="py-2">
                <div className="flex items-baseline justify-between gap-4">
                  <span className="font-medium">{link.name}</span>
                  <span className={linkTone(link.verdict)}>{link.verdict}</span>
                </div>
                <p className="mt-0.5 text-[13px] text-soft">{link.how}</p>
              </li>
            ))}
          </ol>
        )}
        {proof && (
          <dl className="mt-6 grid grid-cols-[1fr_auto] gap-x-6 gap-y-1 text-[13px]">
            {(
              [
                ["Memories and multipliers, compared at their pins", formatCount(proof.logic.blocks)],
                [
                  "Products and quotients checked against whole numbers",
                  proof.logic.wordFaults.length ? "differ" : "agree",
                ],
                ["Time", formatDuration(proof.elapsedMs)],
              ] as const
            ).map(([name, value]) => (
              <div key={name} className="contents">
                <dt className="text-soft">{name}</dt>
                <dd className="tabular text-right">{value}</dd>
              </div>
            ))}
          </dl>
        )}
        {proof && proof.logic.open.length > 0 && (
          <ul className="mt-4 max-h-48 overflow-auto text-[13px]">
            {proof.logic.open.map((point) => (
              <li key={`${point.what} ${point.name}`} className="flex gap-3 border-b border-line/60 py-1">
                <span className="w-24 text-soft">{point.what}</span>
                <span className="font-mono text-xs">{point.name}</span>
              </li>
            ))}
          </ul>
        )}
      </div>
    </div>
  );
}

function linkTone(verdict: ProofLink["verdict"]): string {
  if (verdict === "simulated alike" || verdict === "proven equal") return "text-good";
  return verdict === "different" ? "text-bad" : "text-warn";
}

import { compressBitstream, findPart, hex32, type ImageArtifact } from "@gate-clock/core";
import { useQuery } from "@tanstack/react-query";
import { Download, RadioTower } from "lucide-react";
import { useMemo } from "react";
import { Link } from "react-router";
import { artifactQuery } from "../../app/queries.ts";
import { LoadingPanel, ProblemPanel } from "../../app/StatePages.tsx";
import { Button } from "../../ui/Button.tsx";
import { formatBytes, formatCount, formatPercent, formatWhen } from "../../ui/format.ts";
import { saveBlob } from "../../ui/save-blob.ts";
import { Verdict } from "../../ui/Verdict.tsx";
import { stationAddress } from "../../workbench/address.ts";
import { useDesign } from "../../workbench/context.ts";
import { FigureChange } from "../../workbench/Differences.tsx";
import { NotBuilt } from "../../workbench/NotBuilt.tsx";

export function ImageStation() {
  const { trial, design } = useDesign();
  const { data: image, error, isLoading, refetch } = useQuery(artifactQuery(trial, "image"));
  if (error) return <ProblemPanel error={error} onRetry={() => void refetch()} />;
  if (!image || !trial)
    return isLoading ? <LoadingPanel what="the image" /> : <NotBuilt what="The bitstream" trial={trial} />;
  return <ImagePanel image={image} trial={trial} designId={design.id} designName={design.name} />;
}

function ImagePanel({
  image,
  trial,
  designId,
  designName,
}: {
  image: ImageArtifact;
  trial: NonNullable<ReturnType<typeof useDesign>["trial"]>;
  designId: string;
  designName: string;
}) {
  const compressed = useMemo(() => {
    const { part } = findPart(image.partName);
    return part ? compressBitstream(image.file, part) : null;
  }, [image]);
  const rows: [string, string, boolean][] = [
    ["Part", image.partName, true],
    ["IDCODE", hex32(image.idcode), true],
    ["File size", `${formatBytes(image.file.length)} (${formatCount(image.file.length)} bytes)`, false],
    ...(compressed
      ? [
          [
            "Compressed",
            `${formatBytes(compressed.length)}, ${formatPercent((100 * compressed.length) / image.file.length)} % of it: zeros written as runs`,
            false,
          ] as [string, string, boolean],
        ]
      : []),
    ["Frames", `${formatCount(image.frames)}, each with its own CRC-32C`, false],
    ["Configuration bits", formatCount(image.memoryBits), false],
    ["Bits set", `${formatCount(image.bitsSet)} (${formatPercent((100 * image.bitsSet) / image.memoryBits)} %)`, false],
    ["Design key", image.designKey, true],
    [
      "Built",
      trial.finishedAt
        ? `trial ${trial.number}, ${formatWhen(trial.finishedAt)}, recipe ${trial.recipe}, seed ${trial.seed}`
        : "",
      false,
    ],
  ];
  return (
    <div className="flex h-full flex-col">
      <Verdict
        tone="good"
        figure={formatBytes(image.file.length)}
        change={<FigureChange figure="image" />}
        aside={
          <div className="flex gap-2">
            <Link
              to={stationAddress(designId, "bench")}
              className="inline-flex h-8 items-center gap-1.5 rounded-md border border-line bg-panel px-3 text-sm hover:bg-raised"
            >
              <RadioTower className="size-4" /> Try it on the bench
            </Link>
            {compressed && (
              <Button
                className="h-8"
                onClick={() => saveBlob(new Blob([compressed as BlobPart]), `${designName}-compressed.bits`)}
                data-testid="download-compressed"
                title="The same configuration in fewer bytes; the part takes either"
              >
                Download compressed
              </Button>
            )}
            <a
              href={`/api/designs/${designId}/trials/${trial.id}/image`}
              download
              className="inline-flex h-8 items-center gap-1.5 rounded-md bg-indigo px-3 text-sm font-semibold text-indigo-ink hover:brightness-110"
              data-testid="download"
            >
              <Download className="size-4" /> Download
            </a>
          </div>
        }
      >
        The bitstream for {image.partName} is ready. The same inputs give the same bytes again.
      </Verdict>
      <div className="grid min-h-0 flex-1 grid-cols-2">
        <section className="min-h-0 overflow-auto border-r border-line bg-panel p-5">
          <h2 className="mb-2 font-semibold">The file</h2>
          <dl className="text-[13px]">
            {rows.map(([name, value, isMono]) => (
              <div key={name} className="grid grid-cols-[9rem_1fr] gap-3 border-b border-line/60 py-1.5">
                <dt className="text-soft">{name}</dt>
                <dd className={`min-w-0 break-all ${isMono ? "font-mono text-xs leading-5" : "tabular"}`}>{value}</dd>
              </div>
            ))}
          </dl>
        </section>
        <section className="min-h-0 overflow-auto bg-panel p-5">
          <h2 className="mb-2 font-semibold">Where its ports are</h2>
          <table className="w-full text-[13px]">
            <thead>
              <tr className="border-b border-line text-left text-soft">
                <th className="py-1 font-semibold">Port</th>
                <th className="font-semibold">Direction</th>
                <th className="font-semibold">Pin</th>
                <th className="font-semibold">Standard</th>
              </tr>
            </thead>
            <tbody>
              {image.ports.map((port) => (
                <tr key={port.port} className="border-b border-line/60">
                  <td className="py-1 font-mono text-xs">{port.port}</td>
                  <td>{port.direction}</td>
                  <td className="font-mono text-xs">{port.pin}</td>
                  <td className="font-mono text-xs">{port.standard}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      </div>
    </div>
  );
}

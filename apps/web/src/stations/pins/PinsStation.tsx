import type { DesignFile } from "@gate-clock/contract";
import {
  boardBuses,
  boardSignals,
  type Claim,
  claimedPins,
  findBoard,
  findPart,
  formatPin,
  type PinAssignment,
  type PinNeed,
  withoutPins,
  withPins,
} from "@gate-clock/core";
import type { ColumnDef } from "@tanstack/react-table";
import { useMemo, useState } from "react";
import { Group, Panel, Separator } from "react-resizable-panels";
import { useFocus } from "../../focus/focus.ts";
import { Button } from "../../ui/Button.tsx";
import { DataTable } from "../../ui/DataTable.tsx";
import { Verdict } from "../../ui/Verdict.tsx";
import { CheckVerdict } from "../../workbench/CheckVerdict.tsx";
import { useCheckResult, useDesign, useTexts } from "../../workbench/context.ts";
import { Findings } from "../../workbench/Findings.tsx";
import { RuleFileEditor } from "../../workbench/RuleFileEditor.tsx";
import { ClaimPanel } from "./ClaimPanel.tsx";
import { portClaims } from "./claims-view.ts";

interface Row {
  readonly port: string;
  readonly direction: string;
  readonly pin: string;
  readonly bank: string;
  readonly standard: string;
  readonly options: string;
  readonly how: string;
}

const columns: ColumnDef<Row>[] = [
  { accessorKey: "port", header: "Port", size: 106, meta: { isMono: true } },
  { accessorKey: "direction", header: "Direction", size: 96 },
  { accessorKey: "pin", header: "Pin", size: 54, meta: { isMono: true } },
  { accessorKey: "bank", header: "Bank", size: 56, meta: { isNumber: true } },
  { accessorKey: "standard", header: "Standard", size: 98, meta: { isMono: true } },
  { accessorKey: "options", header: "Options", size: 160 },
  { accessorKey: "how", header: "Placed by", size: 86 },
];

export function PinsStation() {
  const { design } = useDesign();
  const { check } = useCheckResult();
  const { drafts } = useTexts();
  const [focus, setFocus] = useFocus();
  const [showsFree, setShowsFree] = useState(false);
  const part = useMemo(() => findPart(design.part).part, [design.part]);
  const file = design.files.find((each) => each.kind === "pins");
  const plan = check?.plan;
  const needs = check?.needs ?? [];
  const rows = useMemo(() => pinRows(needs, plan?.pins ?? [], part), [needs, plan, part]);
  const findings = check?.pinFindings ?? [];
  const errors = findings.filter((finding) => finding.severity === "error");
  const automatic = plan?.pins.filter((pin) => pin.automatic) ?? [];
  const keepAll = () => {
    if (!file) return;
    const text = drafts.text(file);
    const lines = automatic.map((pin) => formatPin(pin)).join("\n");
    drafts.act(`keep ${automatic.length} places in ${file.path}`, [
      { fileId: file.id, text: `${text}${text === "" || text.endsWith("\n") ? "" : "\n"}${lines}\n` },
    ]);
  };
  const board = findBoard(design.board ?? "").board;
  const buses = useMemo(
    () => (board && board.part === design.part ? boardBuses(boardSignals(board)) : null),
    [board, design.part],
  );
  const text = file ? drafts.text(file) : "";
  const claims = useMemo(() => (buses && needs.length ? portClaims(needs, buses, text) : null), [buses, needs, text]);
  const portNames = (list: readonly Claim[]) => (list.length === 1 ? list[0].port.name : `${list.length} ports`);
  const tie = (list: readonly Claim[], own: DesignFile) =>
    drafts.act(`claim ${portNames(list)}`, [
      { fileId: own.id, text: withPins(drafts.text(own), list.flatMap(claimedPins)) },
    ]);
  const release = (list: readonly Claim[], own: DesignFile) =>
    drafts.act(`release ${portNames(list)}`, [
      {
        fileId: own.id,
        text: withoutPins(drafts.text(own), new Set(list.flatMap(({ port }) => port.bits.map(({ name }) => name)))),
      },
    ]);
  const lineOf = (port: string): number | null => {
    if (!file) return null;
    const at = drafts
      .text(file)
      .split("\n")
      .findIndex((line) => line.trimStart().split(/\s/)[0] === port);
    return at < 0 ? null : at + 1;
  };
  return (
    <div className="flex h-full flex-col">
      <CheckVerdict waiting="Checking the pins…">
        {check &&
          (errors.length ? (
            <Verdict
              tone="bad"
              figure={String(errors.length)}
              unit={errors.length === 1 ? "illegal pin" : "illegal pins"}
            >
              {errors[0].message} {errors[0].remedy}
            </Verdict>
          ) : !plan ? (
            <Verdict tone="open">Pins can be checked once the sources have no errors.</Verdict>
          ) : automatic.length ? (
            <Verdict
              tone="warn"
              figure={`${plan.pins.length - automatic.length} of ${plan.pins.length}`}
              unit="placed"
              aside={file && <Button onClick={keepAll}>Write them into {file.path}</Button>}
            >
              {automatic.length} {automatic.length === 1 ? "port bit has" : "port bits have"} no line in the pin file
              and got legal pins by themselves.
            </Verdict>
          ) : (
            <Verdict tone="good" figure={String(plan.pins.length)} unit="pins placed">
              Every port bit has a legal pin on {design.part}.
            </Verdict>
          ))}
      </CheckVerdict>
      <Group orientation="horizontal" className="min-h-0 flex-1">
        <Panel defaultSize="58%" minSize="320px" className="flex flex-col border-r border-line bg-panel">
          {claims && board && file && (
            <ClaimPanel
              board={board.title}
              claims={claims}
              onClaim={(list) => tie(list, file)}
              onRelease={(list) => release(list, file)}
            />
          )}
          <div className="min-h-0 flex-1">
            <DataTable
              rows={rows}
              columns={columns}
              label="pins"
              rowId={(row) => row.port}
              selectedId={focus?.kind === "pin" ? focus.name : null}
              onSelect={(row) => setFocus({ kind: "pin", name: row.port })}
            />
          </div>
          {part && (
            <details
              className="shrink-0 border-t border-line px-4 py-2 text-[13px]"
              open={showsFree}
              onToggle={(event) => setShowsFree(event.currentTarget.open)}
            >
              <summary className="cursor-pointer text-soft">Free pins of {design.part}</summary>
              <p className="mt-1 max-h-24 overflow-auto font-mono text-xs break-words">
                {part.pins
                  .filter((pin) => !rows.some((row) => row.pin === pin.name))
                  .map((pin) => (pin.isClock ? `${pin.name}·clock` : pin.name))
                  .join("  ")}
              </p>
            </details>
          )}
        </Panel>
        <Separator className="w-1 bg-transparent hover:bg-indigo" />
        <Panel minSize="260px" className="flex flex-col">
          <RuleFileEditor
            file={file}
            language="pins"
            findings={findings}
            focusLine={focus?.kind === "pin" ? lineOf(focus.name) : null}
            kind="pin"
            example="board.pins"
          />
          {findings.length > 0 && (
            <div className="max-h-48 shrink-0 overflow-auto border-t border-line bg-panel">
              <Findings findings={findings} />
            </div>
          )}
        </Panel>
      </Group>
    </div>
  );
}

function pinRows(
  needs: readonly PinNeed[],
  pins: readonly (PinAssignment & { automatic: boolean })[],
  part: ReturnType<typeof findPart>["part"],
): Row[] {
  const byPort = new Map(pins.map((pin) => [pin.port, pin]));
  return needs.map((need) => {
    const pin = byPort.get(need.bitName);
    const bank = pin && part?.pinByName.get(pin.pin)?.bank;
    const options = pin
      ? [
          pin.drive !== 8 && `drive ${pin.drive} mA`,
          pin.slew === "slow" && "slow slew",
          pin.pull !== "none" && `pull ${pin.pull}`,
          pin.hysteresis && "hysteresis",
          pin.register && "pad register",
          pin.termination && "terminated",
          pin.clock === "plain" && "clock by plain wires",
        ]
          .filter(Boolean)
          .join(", ")
      : "";
    return {
      port: need.bitName,
      direction: need.isClock ? "clock input" : need.direction,
      pin: pin?.pin ?? "–",
      bank: bank === undefined ? "–" : String(bank + 1),
      standard: pin?.standard ?? "–",
      options,
      how: !pin ? "–" : pin.automatic ? "automatic" : "pin file",
    };
  });
}

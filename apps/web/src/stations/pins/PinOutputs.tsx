import { pairOf, writeBsdl, writePinSheet, writePortText } from "@gate-clock/core";
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { Download } from "lucide-react";
import Papa from "papaparse";
import { useState } from "react";
import { type PinState, pinFile } from "../../pins/pin-state.ts";
import { saveBlob } from "../../ui/save-blob.ts";
import { useCheckResult, useDesign } from "../../workbench/context.ts";
import { engine } from "../../workers/engine.ts";

/** What goes out: for other programs, for paper, and for the next design on the same board. */
export function PinOutputs({
  state,
  files,
}: {
  state: PinState;
  files: readonly { readonly name: string; readonly text: string }[];
}) {
  const { design } = useDesign();
  const { check } = useCheckResult();
  const [told, setTold] = useState<string | null>(null);
  const name = design.name.replace(/[^\w.-]+/g, "-");
  const save = (text: string, ending: string) => saveBlob(new Blob([text], { type: "text/plain" }), `${name}${ending}`);
  const pins = [...state.pinOf.values()];
  const directionOf = (port: string) => state.needByName.get(port)?.direction ?? "inout";
  const sheet = () => {
    const rows = pins.map((pin) => {
      const contact = state.part.pinByName.get(pin.pin);
      return { ...pin, direction: directionOf(pin.port), bank: contact ? String(contact.bank + 1) : "" };
    });
    const inside = [...state.resolved.lines.inside.keys()].map((port) => ({ port, direction: directionOf(port) }));
    save(`${Papa.unparse(writePinSheet(rows, inside), { escapeFormulae: true })}\r\n`, "-pins.csv");
  };
  const text = () => writePortText(check?.hierarchy?.module ?? name, state.needs, (bit) => state.pinOf.get(bit)?.pin);
  const bsdl = () => {
    const configured = pins.flatMap(({ port, pin }) => {
      const contact = state.part.pinByName.get(pin);
      if (!contact) return [];
      const isPair = state.resolved.lines.byPort.get(port)?.standard.isDifferential;
      const partner = isPair ? (pairOf(state.part, contact)?.pin.name ?? null) : null;
      return [{ pin, port, direction: directionOf(port), partner }];
    });
    save(writeBsdl(state.part, { design: design.name, pins: configured }), ".bsd");
  };
  const report = async () => {
    setTold("Writing the report…");
    try {
      const { name: title, targetName: target, part, board } = design;
      const when = new Date().toLocaleDateString(undefined, { dateStyle: "long" });
      const bytes = await engine.ask(
        "report",
        (remote) =>
          remote.pins({
            design: title,
            target,
            part,
            board,
            files,
            needs: state.needs,
            links: check?.links ?? [],
            when,
          }),
        { quick: true },
      );
      saveBlob(new Blob([bytes], { type: "application/pdf" }), `${name}-pins.pdf`);
      setTold(null);
    } catch (error) {
      setTold((error as Error).message);
    }
  };
  const outputs: readonly (readonly [string, string, () => void])[] = [
    ["Sheet", "CSV, as Import takes it back", sheet],
    ["Pin file", "all ports, those by themselves too", () => save(pinFile(state), ".pins")],
    ["Report", "PDF to print", () => void report()],
    ["Ports in Verilog", "a top for the same pins", () => save(text().verilog, "-ports.v")],
    ["Ports in VHDL", "a top for the same pins", () => save(text().vhdl, "-ports.vhd")],
    ["Boundary scan", "BSDL of the part with this design in it", bsdl],
  ];
  return (
    <>
      {told && <span className="text-soft">{told}</span>}
      <Menu>
        <MenuButton
          className="flex h-6 items-center gap-1 rounded px-2 text-xs text-soft hover:bg-raised"
          data-testid="pin-outputs"
        >
          <Download className="size-3.5" aria-hidden /> Save as
        </MenuButton>
        <MenuItems
          anchor="bottom end"
          className="z-20 w-72 rounded-md border border-line bg-panel py-1 text-[13px] shadow-lg"
        >
          {outputs.map(([title, what, act]) => (
            <MenuItem key={title}>
              <button type="button" className="block w-full px-3 py-1 text-left data-focus:bg-raised" onClick={act}>
                {title} <span className="text-soft">{what}</span>
              </button>
            </MenuItem>
          ))}
        </MenuItems>
      </Menu>
    </>
  );
}

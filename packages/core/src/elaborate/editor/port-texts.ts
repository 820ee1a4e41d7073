import { DesignFiles } from "../../common/design-files.ts";
import { type SourceFile, SourceSet } from "../../common/source.ts";
import { parseDesign } from "../design-units.ts";
import { foreignUnits, MixedDesign } from "../mixed.ts";
import { withWholeLibrary } from "../part-library.ts";
import { Report } from "../report.ts";
import { analyzeUnits } from "../vhdl/bind/bind-unit.ts";
import { widthOf } from "../vhdl/circuit/circuit-expr.ts";
import { shapeText } from "../vhdl/values/shapes.ts";

/** Ports and parameters of a module or entity, as both languages write them. */
interface PortLine {
  readonly name: string;
  readonly direction: "in" | "out" | "inout";
  /** Type in VHDL, range in Verilog. */
  readonly vhdl: string;
  readonly verilog: string;
}
interface UnitPorts {
  readonly name: string;
  readonly isVhdl: boolean;
  readonly params: readonly {
    readonly name: string;
    readonly vhdl: string;
    readonly value: string;
    readonly verilog: string;
  }[];
  readonly ports: readonly PortLine[];
}

/** A unit's interface written out for the other language, or for its own. */
export interface PortTexts {
  readonly vhdlInstance: string;
  readonly vhdlComponent: string;
  readonly verilogInstance: string;
  /** A module around an entity, or an entity around a module. */
  readonly wrapper: string;
}

/** Null if there is no such unit, or its ports cannot be told for its errors. Widths are those of the default parameters. */
export function portTexts(files: readonly SourceFile[], name: string): PortTexts | null {
  const unit = unitPorts(files, name);
  if (!unit) return null;
  const { params, ports } = unit;
  const list = (items: readonly string[], end: string) =>
    items.map((item, i) => `    ${item}${i < items.length - 1 ? end : ""}`).join("\n");
  const genericClause = params.length
    ? `  generic (\n${list(
        params.map((each) => `${each.name} : ${each.vhdl} := ${each.value}`),
        ";",
      )}\n  );\n`
    : "";
  const portClause = ports.length
    ? `  port (\n${list(
        ports.map((each) => `${each.name} : ${each.direction} ${each.vhdl}`),
        ";",
      )}\n  );\n`
    : "";
  const maps = (verb: string, items: readonly string[]) =>
    items.length
      ? `\n  ${verb} map (\n${list(
          items.map((each) => `${each} => ${each}`),
          ",",
        )}\n  )`
      : "";
  const vhdlInstance = `u_${unit.name} : entity work.${unit.name}${maps(
    "generic",
    params.map((each) => each.name),
  )}${maps(
    "port",
    ports.map((each) => each.name),
  )};\n`;
  const dots = (items: readonly string[]) =>
    list(
      items.map((each) => `.${each}(${each})`),
      ",",
    );
  const override = params.length ? ` #(\n${dots(params.map((each) => each.name))}\n  )` : "";
  const verilogInstance = `${unit.name}${override} u_${unit.name} (\n${dots(ports.map((each) => each.name))}\n  );\n`;
  const wrapper = unit.isVhdl
    ? `module ${unit.name}_wrap${
        params.length
          ? ` #(\n${list(
              params.map((each) => `parameter ${each.name} = ${each.verilog}`),
              ",",
            )}\n  )`
          : ""
      } (\n${list(
        ports.map(
          (each) =>
            `${each.direction === "in" ? "input" : each.direction === "out" ? "output" : "inout"} wire ${each.verilog}${each.name}`,
        ),
        ",",
      )}\n  );\n  ${verilogInstance.trimEnd()}\nendmodule\n`
    : `library ieee;\nuse ieee.std_logic_1164.all;\n\nentity ${unit.name}_wrap is\n${genericClause}${portClause}end entity;\n\narchitecture rtl of ${unit.name}_wrap is\nbegin\n  ${vhdlInstance.trimEnd().replaceAll("\n", "\n  ")}\nend architecture;\n`;
  return {
    vhdlInstance,
    vhdlComponent: `component ${unit.name} is\n${genericClause}${portClause}end component;\n`,
    verilogInstance,
    wrapper,
  };
}

function unitPorts(files: readonly SourceFile[], name: string): UnitPorts | null {
  const sources = new SourceSet(withWholeLibrary(files));
  const syntax = parseDesign(sources);
  const report = new Report(sources);
  const world = analyzeUnits(syntax.vhdl, report, foreignUnits(syntax.verilog));
  const mixed = new MixedDesign(syntax.verilog, world, report, new DesignFiles(() => null));
  const entity = world.entity(name);
  if (entity) {
    entity.load?.();
    const { elaborator } = mixed.vhdl;
    const defaults = elaborator.border.genericDefaults(entity);
    const shapes = new Map(elaborator.border.interfaceOf(entity, new Map()).map(({ decl, shape }) => [decl, shape]));
    return {
      name: entity.shown,
      isVhdl: true,
      params: entity.generics.map((generic) => {
        const value = defaults.get(generic.name);
        const text =
          value === undefined
            ? "1"
            : typeof value.v === "string"
              ? JSON.stringify(value.v)
              : typeof value.v === "number"
                ? String(value.v)
                : "0";
        const isBoolean = value?.shape.k === "s" && value.shape.type.name === "boolean";
        return {
          name: generic.name,
          vhdl: generic.subtype.name,
          value: isBoolean ? String(value?.v === 1) : text,
          verilog: text,
        };
      }),
      ports: entity.ports.map((port): PortLine => {
        const shape = shapes.get(port)!;
        const width = widthOf(shape) ?? 1;
        return {
          name: port.name,
          direction: port.mode === "in" || port.mode === null ? "in" : port.mode === "inout" ? "inout" : "out",
          vhdl: shapeText(shape, port.subtype.name),
          verilog: shape.k === "a" || width > 1 ? `[${width - 1}:0] ` : "",
        };
      }),
    };
  }
  const node = syntax.verilog.modules.find((module) => module.name === name && module.kind !== "interface");
  if (!node) return null;
  const design = mixed.fromModule(node);
  if (!design) return null;
  return {
    name,
    isVhdl: false,
    params: design.top.parameters.map(({ name: param, value }) => ({
      name: param,
      vhdl: "integer",
      value: /^-?\d+$/.test(value) ? value : "0",
      verilog: value,
    })),
    ports: design.top.ports.map((port): PortLine => {
      const isVector = port.type.kind === "integral" && (port.width > 1 || port.type.dims.length > 0);
      return {
        name: port.plainName,
        direction: port.direction === "input" ? "in" : port.direction === "inout" ? "inout" : "out",
        vhdl: isVector ? `std_logic_vector(${port.width - 1} downto 0)` : "std_logic",
        verilog: isVector ? `[${port.width - 1}:0] ` : "",
      };
    }),
  };
}

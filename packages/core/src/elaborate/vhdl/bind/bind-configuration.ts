import type { ConfigBlock, ConfigurationNode } from "../../../hdl/vhdl/ast.ts";
import type { ConfigRule, ConfigurationDecl } from "../bound.ts";
import { Scope } from "../scope.ts";
import type { Binder } from "./binder.ts";

/** Configuration declarations (3.4). */
export class ConfigurationBinder {
  constructor(private readonly host: Binder) {}

  configuration(node: ConfigurationNode): ConfigurationDecl {
    const decl: ConfigurationDecl = {
      kind: "configuration",
      name: node.name.id,
      loc: node.name.loc,
      entity: null,
      architecture: null,
      rules: [],
      load: null,
    };
    const root = this.host.scope;
    decl.load = () => {
      decl.load = null;
      const scope = new Scope(root);
      this.host.packages.context(node.context, scope);
      this.host.decls.inScope(scope, () => {
        const unit =
          node.entity.kind === "name"
            ? this.host.world.unitIn(this.host.world.home(node.loc.file), node.entity.id)
            : this.host.instances.unitNamed(node.entity);
        if (!unit || "foreign" in unit || unit.kind !== "entity") {
          this.host.error(
            "unknown-entity",
            node.entity.loc,
            `There is no entity '${this.host.names.text(node.entity.loc)}'.`,
            "Check its name.",
          );
          return;
        }
        decl.entity = unit;
        if (!node.block) return;
        decl.architecture = node.block.name.id;
        if (!unit.architectures.has(node.block.name.id))
          this.host.error(
            "unknown-architecture",
            node.block.name.loc,
            `Entity '${unit.name}' has no architecture '${node.block.name.id}'.`,
            "Check its name.",
          );
        decl.rules = this.rules(node.block, []);
      });
    };
    return decl;
  }

  private rules(block: ConfigBlock, path: readonly string[]): ConfigRule[] {
    return block.items.flatMap((item): ConfigRule[] => {
      if (item.kind === "block") return this.rules(item.block, [...path, item.block.name.id]);
      const { spec } = item;
      return [
        {
          path,
          labels: typeof spec.labels === "string" ? spec.labels : spec.labels.map((each) => each.id),
          component: spec.component.kind === "name" ? spec.component.id : "",
          unit: spec.unit ? this.host.instances.bindingUnit(spec.unit) : null,
          inner: item.inner ? this.rules(item.inner, []) : [],
        },
      ];
    });
  }
}

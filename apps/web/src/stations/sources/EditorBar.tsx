import { libraryModules, type PortTexts } from "@gate-clock/core";
import { Menu, MenuButton, MenuHeading, MenuItem, MenuItems, MenuSection } from "@headlessui/react";
import { AlignLeft, AudioWaveform, ChevronDown, Component } from "lucide-react";
import { Button } from "../../ui/Button.tsx";

interface Props {
  readonly path: string;
  /** Modules that an instance can be made of. */
  readonly modules: readonly string[];
  /** The open file is VHDL: instances are written so, and components too. */
  readonly isVhdl: boolean;
  readonly told: string | null;
  readonly onFormat: () => void;
  readonly onInstance: (module: string, form: keyof PortTexts) => void;
  readonly onWaves: () => void;
}

const verilogForms: readonly { form: keyof PortTexts; title: string }[] = [
  { form: "verilogInstance", title: "Instance" },
  { form: "wrapper", title: "Wrapper in the other language" },
];
const vhdlForms: readonly { form: keyof PortTexts; title: string }[] = [
  { form: "vhdlInstance", title: "Instance" },
  { form: "vhdlComponent", title: "Component declaration" },
  { form: "wrapper", title: "Wrapper in the other language" },
];

/** What can be done with the open file as a whole, and with the name at the cursor. */
export function EditorBar({ path, modules, isVhdl, told, onFormat, onInstance, onWaves }: Props) {
  // the part's blocks are for either language as they are
  const sections = (isVhdl ? vhdlForms : verilogForms)
    .map(({ form, title }) => ({
      form,
      title,
      names: form === "wrapper" ? modules.filter((name) => !libraryModules().includes(name)) : modules,
    }))
    .filter(({ names }) => names.length > 0);
  return (
    <div className="flex h-9 shrink-0 items-center gap-1 border-b border-line bg-cloth px-3 text-[13px]">
      <span className="min-w-0 truncate font-mono text-xs" title={path}>
        {path}
      </span>
      {told && (
        <span className="ml-3 min-w-0 truncate text-xs text-warn" role="status" title={told}>
          {told}
        </span>
      )}
      <span className="flex-1" />
      <Button
        look="quiet"
        className="h-7 px-2 text-[13px]"
        onClick={onWaves}
        title="Show the signal at the cursor in the waves of the last run (Ctrl+Alt+W)"
      >
        <AudioWaveform className="size-4" aria-hidden /> In waves
      </Button>
      <Menu>
        <MenuButton
          className="inline-flex h-7 items-center gap-1.5 rounded-md px-2 text-soft hover:bg-raised hover:text-ink disabled:opacity-50"
          disabled={modules.length === 0}
          data-testid="insert-instance"
        >
          <Component className="size-4" aria-hidden /> Insert instance
          <ChevronDown className="size-3.5" aria-hidden />
        </MenuButton>
        <MenuItems
          anchor={{ to: "bottom end", gap: 4 }}
          className="z-20 max-h-80 min-w-52 rounded-md border border-line bg-panel py-1 shadow-lg outline-none"
        >
          {sections.map(({ form, title, names }) => (
            <MenuSection key={form}>
              <MenuHeading className="px-3 pt-1.5 pb-0.5 text-xs text-soft">{title}</MenuHeading>
              {names.map((name) => (
                <MenuItem key={name}>
                  <button
                    type="button"
                    className="block w-full px-3 py-1 text-left font-mono text-xs data-focus:bg-raised"
                    onClick={() => onInstance(name, form)}
                  >
                    {name}
                  </button>
                </MenuItem>
              ))}
            </MenuSection>
          ))}
        </MenuItems>
      </Menu>
      <Button
        look="quiet"
        className="h-7 px-2 text-[13px]"
        onClick={onFormat}
        title="Indent and space the file by its structure (Ctrl+Alt+Y)"
        data-testid="format"
      >
        <AlignLeft className="size-4" aria-hidden /> Format
      </Button>
    </div>
  );
}

import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions, Dialog, DialogPanel } from "@headlessui/react";
import { Search } from "lucide-react";
import { useState } from "react";
import { type Command, localKeys, matching } from "./commands.ts";

const most = 40;

/** Everything that can be done here, by name. */
export function CommandPalette({ commands, onClose }: { commands: readonly Command[]; onClose: () => void }) {
  const [typed, setTyped] = useState("");
  const found = matching(commands, typed).slice(0, most);
  return (
    <Dialog open onClose={onClose} className="relative z-40">
      <div className="fixed inset-0 bg-ink/20" aria-hidden />
      <div className="fixed inset-x-0 top-16 flex justify-center px-4">
        <DialogPanel
          className="flex max-h-[28rem] w-full max-w-xl flex-col overflow-hidden rounded-lg border border-line bg-panel shadow-xl"
          data-testid="palette"
        >
          <Combobox<Command | null>
            value={null}
            onChange={(command) => {
              if (!command || command.isReady === false) return;
              onClose();
              command.run();
            }}
          >
            <div className="flex items-center gap-2.5 border-b border-line px-4">
              <Search className="size-4 shrink-0 text-soft" aria-hidden />
              <ComboboxInput
                autoFocus
                className="h-11 w-full bg-transparent text-[15px] outline-none placeholder:text-soft"
                placeholder="What to do, or where to go"
                aria-label="Command"
                onChange={(event) => setTyped(event.target.value)}
                data-testid="palette-input"
              />
            </div>
            <ComboboxOptions static className="min-h-0 overflow-auto py-1 outline-none">
              {found.map((command) => (
                <ComboboxOption
                  key={command.id}
                  value={command}
                  disabled={command.isReady === false}
                  className="flex cursor-pointer items-baseline gap-3 px-4 py-1.5 data-disabled:opacity-50 data-focus:bg-indigo-wash"
                >
                  <span className="min-w-0 flex-1 truncate">{command.title}</span>
                  <span className="shrink-0 text-xs text-soft">{command.group}</span>
                  {command.keys && <Keys keys={command.keys} />}
                </ComboboxOption>
              ))}
            </ComboboxOptions>
            {found.length === 0 && <p className="px-4 py-3 text-soft">Nothing here is called that.</p>}
          </Combobox>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

/** Every key that does something, in one list. */
export function ShortcutList({ commands, onClose }: { commands: readonly Command[]; onClose: () => void }) {
  const groups = new Map<string, (readonly [string, string])[]>();
  for (const { group, keys, title } of commands)
    if (keys) groups.set(group, [...(groups.get(group) ?? []), [keys, title]]);
  for (const { where, keys } of localKeys) groups.set(`In ${where.toLowerCase()}`, [...keys]);
  return (
    <Dialog open onClose={onClose} className="relative z-40">
      <div className="fixed inset-0 bg-ink/20" aria-hidden />
      <div className="fixed inset-0 flex items-center justify-center p-6">
        <DialogPanel
          className="max-h-full w-full max-w-3xl overflow-auto rounded-lg border border-line bg-panel p-6 shadow-xl"
          data-testid="shortcuts"
        >
          <h2 className="mb-4 text-lg font-semibold">Keys</h2>
          <div className="gap-x-10 sm:columns-2">
            {[...groups].map(([group, list]) => (
              <section key={group} className="mb-4 break-inside-avoid">
                <h3 className="mb-1 text-xs font-semibold text-soft">{group}</h3>
                <dl className="grid grid-cols-[1fr_auto] gap-x-4 gap-y-1 text-[13px]">
                  {list.map(([keys, what]) => (
                    <div key={keys + what} className="contents">
                      <dt>{what}</dt>
                      <dd className="text-right">
                        <Keys keys={keys} />
                      </dd>
                    </div>
                  ))}
                </dl>
              </section>
            ))}
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

function Keys({ keys }: { keys: string }) {
  return (
    <span className="shrink-0 whitespace-nowrap">
      {keys.split(" ").map((key, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: the keys are in their order
        <kbd key={i} className="ml-1 rounded border border-line bg-cloth px-1.5 py-px font-mono text-[11px] text-soft">
          {key}
        </kbd>
      ))}
    </span>
  );
}

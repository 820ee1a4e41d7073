import type { Design } from "@gate-clock/contract";
import type { Command } from "./commands.ts";
import type { Against } from "./compare.ts";
import type { EditHistory } from "./edit-history.ts";
import type { Station } from "./station.ts";
import type { TrialChoice } from "./use-trial.ts";

/** What the commands of an open design do. */
interface PageActs {
  readonly findCommand: () => void;
  readonly showKeys: () => void;
  readonly save: () => void;
  readonly switchTheme: () => void;
  readonly allDesigns: () => void;
  readonly build: () => void;
  readonly cancel: () => void;
  readonly goTo: (station: string) => void;
  readonly openFile: (path: string) => void;
  readonly undo: () => void;
  readonly redo: () => void;
}

/** Commands that are there in every station of a design. */
export function pageCommands(
  design: Design,
  stations: readonly Station[],
  choice: TrialChoice,
  history: EditHistory["next"],
  isRunning: boolean,
  acts: PageActs,
): Command[] {
  return [
    { id: "palette", title: "Find a command", group: "Page", keys: "Ctrl+K", run: acts.findCommand },
    { id: "keys", title: "Show all keys", group: "Page", keys: "?", run: acts.showKeys },
    // it is saved by itself
    { id: "save", title: "Save what is typed", group: "Page", keys: "Ctrl+S", run: acts.save },
    {
      id: "undo",
      title: history.undo === null ? "Undo" : `Undo: ${history.undo}`,
      group: "Texts and rules",
      keys: "Ctrl+Z",
      isReady: history.undo !== null,
      run: acts.undo,
    },
    {
      id: "redo",
      title: history.redo === null ? "Redo" : `Redo: ${history.redo}`,
      group: "Texts and rules",
      keys: "Ctrl+Y",
      isReady: history.redo !== null,
      run: acts.redo,
    },
    { id: "theme", title: "Switch between light and dark", group: "Page", run: acts.switchTheme },
    { id: "designs", title: "All designs", group: "Page", keys: "G D", run: acts.allDesigns },
    { id: "build", title: "Build", group: "Trials", keys: "Ctrl+Enter", isReady: !isRunning, run: acts.build },
    { id: "cancel", title: "Cancel the build", group: "Trials", isReady: isRunning, run: acts.cancel },
    ...trialCommands(choice),
    ...stations.map(({ path, name, key }) => ({
      id: `station ${path}`,
      title: `Go to ${name}`,
      group: "Stations",
      keys: `G ${key}`,
      run: () => acts.goTo(path),
    })),
    ...design.files.map(({ id, path }) => ({
      id: `file ${id}`,
      title: `Open ${path}`,
      group: "Files",
      run: () => acts.openFile(path),
    })),
  ];
}

/** Which trial is looked at, and what it is compared with. */
function trialCommands(choice: TrialChoice): Command[] {
  const { trial, baseline, isLast } = choice;
  const group = "Trials";
  const list: Command[] = [];
  const before = trial ? trial.number - 1 : 0;
  if (before > 0)
    list.push({
      id: "earlier",
      title: "Look at the trial before",
      group,
      keys: "[",
      run: () => choice.choose(before),
    });
  if (!isLast)
    list.push({ id: "last", title: "Look at the last trial", group, keys: "]", run: () => choice.choose(null) });
  if (!trial) return list;
  const compare = (mode: Against, title: string, keys?: string): void => {
    if (choice.mode !== mode)
      list.push({
        id: `compare ${mode}`,
        title: `Compare with ${title}`,
        group,
        keys,
        run: () => choice.compareWith(mode),
      });
  };
  if (before > 0) compare("before", "the trial before");
  if (baseline !== null && baseline !== trial.number) compare("baseline", "the baseline");
  compare("goal", "the goal of the rules");
  compare("none", "nothing");
  const isBaseline = baseline === trial.number;
  if (isBaseline || trial.status === "done")
    list.push({
      id: "baseline",
      title: isBaseline ? "Have no baseline" : "Make this trial the baseline",
      group,
      run: () => choice.setBaseline(isBaseline ? null : trial.number),
    });
  return list;
}

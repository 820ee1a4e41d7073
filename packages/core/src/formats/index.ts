/** Open file formats in and out: structural Verilog (IEEE 1364-2005), BSDL (IEEE 1149.1), a design as a folder, SDF (IEEE 1497-2001). */

export { writeBsdl } from "./bsdl.ts";
export {
  type ClockInstance,
  clockInstances,
  clockInstanceText,
  withClockSettings,
  withinArchitecture,
  withinModule,
} from "./clock-instance.ts";
export {
  type FolderSettings,
  type FolderTarget,
  kindOfPath,
  readFolderSettings,
  settingsName,
  writeFolderSettings,
} from "./design-folder.ts";
export { writePortText } from "./port-text.ts";
export { writeSdf } from "./sdf.ts";
export { primitivesFor, writeStructuralVerilog } from "./structural-verilog.ts";

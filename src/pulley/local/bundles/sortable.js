// Dragging lists into another order, without the plug-ins.

export { default } from "sortablejs/modular/sortable.core.esm.js";

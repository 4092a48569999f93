// Written by `./pulley vendor`.
export { default } from "sortablejs";

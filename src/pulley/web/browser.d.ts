// For `tsc`: what the page's classic scripts put on `window`, and the events of htmx and the canvas.

interface Window {
  htmx: any;
  Idiomorph: any;
  pulley: any;
}

interface PageEvents {
  [name: `htmx:${string}`]: CustomEvent;
  picked: CustomEvent;
}

interface HTMLElementEventMap extends PageEvents {}

import { vi } from "vitest";

/** What Node and jsdom have not and the interface asks for. Runs before each test file, and so before the client is made. */

// Node takes whole addresses only; the interface asks the server that it came from.
const NodeRequest = globalThis.Request;
globalThis.Request = class extends NodeRequest {
  constructor(asked: RequestInfo | URL, init?: RequestInit) {
    super(typeof asked === "string" ? new URL(asked, "http://clinic.example") : asked, init);
  }
};

if (typeof Element !== "undefined")
  Object.assign(Element.prototype, {
    hasPointerCapture: () => false,
    setPointerCapture: () => undefined,
    scrollIntoView: () => undefined,
  });

/** Every box is 800 wide. */
vi.stubGlobal(
  "ResizeObserver",
  class {
    constructor(private seen: (entries: object[]) => void) {}
    observe() {
      this.seen([{ contentRect: { width: 800 } }]);
    }
    unobserve() {}
    disconnect() {}
  },
);

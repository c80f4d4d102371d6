import { beforeEach, vi } from "vitest";

/** What Node and jsdom have not and the interface asks for. Runs before each test file, and so before the client is made. */

// Shared machines stall for seconds, and speed is not what is tested here.
if (typeof document !== "undefined") {
  const { configure } = await import("@testing-library/react");
  configure({ asyncUtilTimeout: 20_000 });
}

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

/** What one test typed is not the next one's. */
if (typeof sessionStorage !== "undefined") beforeEach(() => sessionStorage.clear());

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

/** No style sheet is loaded here, so that what is shown follows from elements alone; jsdom would go through every rule of a
 * browser's own for each element that a test asks about, which is most of the time of a large form. */
if (typeof window !== "undefined") {
  const BLOCKS =
    /^(DIV|P|H[1-6]|[DOU]L|LI|D[DT]|FORM|FIELDSET|LEGEND|SECTION|MAIN|NAV|HEADER|FOOTER|ARTICLE|ASIDE|DETAILS|SUMMARY|T.*)$/;
  const whole = window.getComputedStyle.bind(window);
  window.getComputedStyle = (element, part) => {
    let all: CSSStyleDeclaration | undefined;
    const own = (element as HTMLElement).style as CSSStyleDeclaration | undefined;
    const known: Record<string, string> = {
      display: element.hasAttribute("hidden")
        ? "none"
        : (own?.display ?? "") || (BLOCKS.test(element.tagName) ? "block" : "inline"),
      visibility: (element.closest<HTMLElement>("[style*=visibility]")?.style.visibility ?? "") || "visible",
    };
    return new Proxy({} as CSSStyleDeclaration, {
      get(_, name) {
        if (typeof name === "string" && name in known) return known[name];
        if (name === "getPropertyValue")
          return (asked: string) => known[asked] ?? (all ??= whole(element, part)).getPropertyValue(asked);
        return Reflect.get((all ??= whole(element, part)), name) as unknown;
      },
    });
  };
}

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

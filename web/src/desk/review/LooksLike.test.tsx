// @vitest-environment jsdom
import { expect, it, vi } from "vitest";

import { PICTURE } from "../../testing/clinic";
import { screen, serve, show } from "../../testing/server";
import { LooksLike } from "./LooksLike";

HTMLCanvasElement.prototype.getContext = vi.fn(() => null) as never;

it("pictures what was ticked last beside a good image, and asks for none where none can be made", async () => {
  const server = serve({
    "GET /api/practice/looks-like/motion": [
      { seen: "Motion", cause: "", picture: PICTURE },
      { seen: "As it should be", cause: "", picture: PICTURE },
    ],
  });
  const { unmount } = show(
    <LooksLike findings={["noisy", "motion", "metal"]} projection="knee-ap" />,
    "/desk",
  );
  expect(await screen.findByRole("img", { name: "Computed: Motion" })).toBeDefined();
  expect(screen.getByText(/not this image/)).toBeDefined();
  expect(server.last("GET /api/practice/looks-like/motion").query.get("projection")).toBe("knee-ap");
  unmount();
  const none = serve({});
  show(<LooksLike findings={["metal", "wrong_label"]} projection="knee-ap" />, "/desk");
  expect(none.asked.filter((one) => one.to.includes("looks-like"))).toEqual([]);
});

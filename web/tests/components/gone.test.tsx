// @vitest-environment jsdom
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";
import ViewersScreen from "../../src/features/viewers/ViewersScreen";
import { useWorkbench } from "../../src/state/workbench";
import { drawn } from "./bench";

function Pins() {
  const bench = useWorkbench();
  return (
    <>
      <button
        type="button"
        onClick={() => bench.pinAll(["ann", "left"].map((login) => ({ key: login, viewer: login, title: login, detail: "" })))}
      >
        pin both
      </button>
      <p>pinned: {bench.pins.map((pin) => pin.title).join(", ") || "nobody"}</p>
    </>
  );
}

test("somebody pinned who is not there any more is unpinned in one click, and the others stay", async () => {
  drawn(
    <>
      <Pins />
      <ViewersScreen />
    </>,
  );
  fireEvent.click(screen.getByText("pin both"));
  await screen.findByText(/left is not there any more/);
  fireEvent.click(screen.getByRole("button", { name: "Unpin, and go on with the others" }));
  await waitFor(() => expect(screen.getByText("pinned: ann")).toBeTruthy());
  expect(screen.queryByText(/not there any more/)).toBeNull();
});

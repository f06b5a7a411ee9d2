import { expect, test } from "vitest";
import { nearest } from "../src/app/Finder";

const named = (label: string, detail = "") => ({ kind: "role", label, detail, path: `/${label}` });

test("what begins with what was typed comes first, then what has a word that does", () => {
  const everything = [named("Area"), named("Store", "late-return"), named("Winter review"), named("Reach")];
  expect(nearest(everything, "re").map((item) => item.label)).toEqual(["Reach", "Winter review", "Area", "Store"]);
});

test("what is not called so is not found", () => {
  expect(nearest([named("Reach")], "role")).toEqual([]);
});

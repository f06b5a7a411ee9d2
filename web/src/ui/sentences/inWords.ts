import type { Sentence } from "../../api/client";
import { kindOf } from "./sentence";

/** A sentence of a role in one line of text, where there is no room for its card. */
export function sentenceInWords(sentence: Sentence): string {
  const told = saidBy(sentence);
  return sentence.off ? `${told} (switched off)` : told;
}

function saidBy(sentence: Sentence): string {
  const kind = kindOf(sentence);
  switch (kind) {
    case "rows":
      return `${sentence.rows?.table} where ${sentence.rows?.where}`;
    case "entitlement": {
      const { table, through, where } = sentence.entitlement ?? {};
      return `${table} that ${through} names for the person${where ? ` where ${where}` : ""}`;
    }
    case "members": {
      const { hierarchy, unlisted = "hidden", list = [], totals = "own" } = sentence.members ?? {};
      const paths = list.map(
        (entry) =>
          `${entry.see ? "see" : "not"} ${entry.path.map((part) => (typeof part === "object" ? `viewer.${part.viewer}` : String(part))).join(" › ")}`,
      );
      return `members of ${hierarchy}: ${[...paths, `others ${unlisted}`, `${totals} totals`].join(", ")}`;
    }
    case "objects": {
      const { default: rest = "visible", hide = [], show = [] } = sentence.objects ?? {};
      const parts = [
        hide.length > 0 ? `hide ${hide.join(", ")}` : "",
        show.length > 0 ? `show ${show.join(", ")}` : "",
        `all else ${rest}`,
      ];
      return parts.filter(Boolean).join("; ");
    }
    case "mask": {
      const { column, with: kind_, when, in_totals = "no" } = sentence.mask ?? {};
      const shown = typeof kind_ === "string" ? kind_ : withSettings(kind_ as object | undefined);
      const totals =
        typeof in_totals === "object"
          ? `true in totals of ${in_totals.full.at_least} rows or more`
          : in_totals === "shown"
            ? "so in totals too"
            : "in no total";
      return `${column} masked: ${shown}${when ? ` when ${when}` : ""}, ${totals}`;
    }
    case "beneath": {
      const { tables = [], rows = true, limit, only_under, export: out } = sentence.beneath ?? {};
      const parts = [
        rows ? "rows listed" : "no rows listed",
        limit != null ? `at most ${limit}` : "",
        only_under != null ? `only under ${only_under}` : "",
        out ? "export" : "",
      ];
      return `${tables.join(", ")} beneath numbers: ${parts.filter(Boolean).join(", ")}`;
    }
    case "change": {
      const { table, insert, update, delete: out } = sentence.change ?? {};
      const parts = [
        insert ? `insert where ${insert}` : "",
        update ? `update where ${update}` : "",
        out ? `delete where ${out}` : "",
      ].filter(Boolean);
      return `changes of ${table}: ${parts.join("; ") || "none"}`;
    }
    case "pages": {
      const { actions = [], on, where } = sentence.pages ?? {};
      return `${actions.join(", ")} ${on ? on.join(", ") : "any page"}${where ? ` where ${where}` : ""}`;
    }
  }
}

/** A kind of mask that has settings, with them: `keep first 0, last 3`. */
function withSettings(kind: object | undefined): string {
  const [name, settings] = Object.entries(kind ?? {})[0] ?? ["", {}];
  return `${name} ${Object.entries(settings as object)
    .map(([key, value]) => `${key} ${String(value)}`)
    .join(", ")}`;
}

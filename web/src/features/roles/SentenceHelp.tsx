import { Button, Popover } from "antd";
import type { ReactNode } from "react";
import type { Kind } from "../../ui/sentences/sentence";

const HELP: Record<Kind, { title: string; text: ReactNode; example: ReactNode }> = {
  rows: {
    title: "Rows",
    text: "Keeps the rows of a table for which a condition is true. It reaches every table beneath along the relationships. Unknown counts as not true: a blank never opens a row by itself.",
    example: (
      <>
        <code>area IN viewer.areas</code> on site, for somebody whose areas are High Fells: 17 of 48 sites, and only their turbines, their
        output, their jobs.
      </>
    ),
  },
  entitlement: {
    title: "Entitlement",
    text: "A table kept by somebody says who may see what. A row is kept if some line of the viewer matches it in all pairs of columns. Nobody listed sees nothing.",
    example: (
      <>
        A line <code>j.ames · High Fells · Upper Dale</code> with area and district matched opens that one district to Jo Ames, and nothing
        else.
      </>
    ),
  },
  members: {
    title: "Members",
    text: "Sees or does not see members of a hierarchy. The nearest listed member above decides; at the same member, “not” wins. What is not listed stays hidden unless you choose otherwise.",
    example: "High Fells: see, its site 14: not. All of High Fells is visible but site 14; every other area is hidden.",
  },
  objects: {
    title: "Objects",
    text: "Hides or shows tables, columns, measures, hierarchies and cubes. The most specific mention wins. A measure falls with any column it reads, and an exhibit with what it needs.",
    example: (
      <>
        Hiding <code>tag grid-agreement</code> hides every column that carries it, and with them the four measures that read one.
      </>
    ),
  },
  mask: {
    title: "Mask",
    text: "Shows a cell only in part. Where the condition is true or unknown the cell is masked. Filters never match a masked cell, and it enters totals only if you say so.",
    example: (
      <>
        Phone keeps its last three characters: <span className="msk">••••••418</span>. Day rate “in full, at least 5”: the average of a
        firm, never one person’s.
      </>
    ),
  },
  beneath: {
    title: "Rows beneath",
    text: "Whether the rows under a number may be listed, how many, and exported. A convenience, not a protection: it keeps no number from anybody.",
    example: "Jobs: at most 200 rows, only where no more than 500 match, no export.",
  },
  change: {
    title: "Changes",
    text: "Which rows may be inserted, updated or deleted. The row has to be visible, and the condition has to hold for the row as it was and as it would be.",
    example: (
      <>
        Update job where <code>fault_class &lt;&gt; 'safety'</code>: a safety job cannot be edited, and no job can be made one.
      </>
    ),
  },
  pages: {
    title: "Pages",
    text: "A grant opens pages, a limit closes them. Both given, “on” and “where” must both hold. Opening a page never opens data.",
    example: (
      <>
        Open on shelf Operations where <code>'monthly' IN page.tags</code>.
      </>
    ),
  },
};

/** A short explanation of a kind of sentence, with a worked example. */
export function SentenceHelp({ kind }: { kind: Kind }) {
  const help = HELP[kind];
  return (
    <Popover
      trigger="click"
      title={help.title}
      content={
        <div className="most-340">
          <p>{help.text}</p>
          <p className="soft above-6">{help.example}</p>
        </div>
      }
    >
      <Button size="small" type="text" aria-label={`What a ${help.title.toLowerCase()} sentence does`}>
        ?
      </Button>
    </Popover>
  );
}

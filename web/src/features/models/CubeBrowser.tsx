import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Model, Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { figureSubject, marked } from "../../state/asking";
import { focusedViewer, useWorkbench } from "../../state/workbench";
import { browsed } from "../../ui/cube/axes";
import { type Answered, CubeTable } from "../../ui/cube/CubeTable";
import { RowsBeneath } from "../../ui/RowsBeneath";
import { CubeTogether } from "./CubeTogether";

/** A cube as the focused viewer sees it, or one level of it for everybody pinned. */
export function CubeBrowser({ model, cube }: { model: Model; cube: Schemas["Cube"] }) {
  const bench = useWorkbench();
  const [together, setTogether] = useState(false);
  const who = bench.focus === 0 ? "all data" : (bench.pins[bench.focus - 1]?.title ?? "");
  return (
    <CubeTable
      cube={browsed(model, cube)}
      useAnswers={useAnswersOfFocused}
      who={who}
      mark={(question, key, title) =>
        marked(
          figureSubject(
            {
              model: question.model,
              measure: question.measures[0] ?? "",
              cube: cube.name,
              by: question.by ?? [],
              where: question.where ?? null,
              subtotals: true,
              key: key as never,
            },
            title,
          ),
          bench.focus > 0 ? "bridge" : "who",
        )
      }
      together={together ? (question, level, format) => <CubeTogether question={question} level={level} format={format} /> : undefined}
      end={
        <>
          {bench.pins.length > 0 && (
            <button type="button" className="textlink small" aria-pressed={together} onClick={() => setTogether(!together)}>
              {together ? `Only as ${who}` : "All pinned viewers side by side"}
            </button>
          )}
          {!together && (
            <span className="soft small">
              as <b>{who}</b> sees it
            </span>
          )}
        </>
      }
      beneath={(rows) => <RowsBeneath key={rows.where} model={model.name} viewer={focusedViewer(bench)} {...rows} />}
    />
  );
}

function useAnswersOfFocused(ask: Schemas["Question"][], enabled: boolean): Answered {
  const bench = useWorkbench();
  const asked = useQuery({
    ...queries.evaluated({ state: bench.state, as_of: bench.day, viewers: [focusedViewer(bench)], unseen: false, ask }),
    enabled,
  });
  return { answers: asked.data?.viewers[0]?.answers ?? [], error: asked.isError ? asked.error.message : null, busy: asked.isFetching };
}

import { useQuery } from "@tanstack/react-query";
import { Button } from "antd";
import { useState } from "react";
import { useNavigate } from "react-router-dom";
import { queries } from "../../api/queries";
import { remember, remembered } from "../../state/remembered";
import { useWorkbench } from "../../state/workbench";

const KEPT = "moorland.guided";
/** The promise of the demo that is understood and mended here. */
const PROMISE = "the stores overview withholds what bearings are worth";

function stored(): string[] {
  try {
    return JSON.parse(remembered(KEPT) ?? "[]") as string[];
  } catch {
    return [];
  }
}

/** A first walk through the demo in five steps: look, look at everybody, a broken promise, how it leaks, mend and release it. */
export function GuidedStart() {
  const [done, setDone] = useState(stored);
  const promises = useQuery(queries.promises());
  const bench = useWorkbench();
  const navigate = useNavigate();
  const found = promises.data?.promises.find((entry) => entry.name === PROMISE);
  if (done.includes("closed") || !found) return null;
  const mark = (step: string) => {
    const now = [...new Set([...done, step])];
    setDone(now);
    remember(KEPT, JSON.stringify(now));
  };
  const steps = [
    {
      key: "look",
      title: "Look through somebody's eyes",
      text: "Jo Ames keeps two areas. Pin her, and every screen shows what she sees beside all the data.",
      act: "Look as Jo Ames",
      go: () => {
        bench.pin({ key: "user:j.ames", title: "Jo Ames", detail: "j.ames", viewer: "j.ames" });
        navigate("/viewers");
      },
      done: done.includes("look"),
    },
    {
      key: "reach",
      title: "Look at everybody at once",
      text: "Reach puts people who see exactly the same on one line, and names who stands out.",
      act: "Open Reach",
      go: () => navigate("/reach"),
      done: done.includes("reach"),
    },
    {
      key: "promise",
      title: "A promise is broken",
      text: "The stores overview should not tell what bearings are worth. Checks holds the draft against that, and says it does.",
      act: "See the promises",
      go: () => navigate("/checks/promises"),
      done: done.includes("promise"),
    },
    {
      key: "probe",
      title: "See how it leaks",
      text: "Lorna Esk may see the total of all parts, and all parts but the bearings. The probe does the subtraction for her.",
      act: "Probe as Lorna Esk",
      go: () => navigate("/checks/probe?as=l.esk"),
      done: done.includes("probe"),
    },
    {
      key: "mend",
      title: "Mend it, and release",
      text: found.draft.kept
        ? "Own totals count what she sees, and nothing else: the promise is kept by the draft. Release it, and it is so for everybody."
        : "On the find, ask what closes it, take own totals over, look at the effect, save; the promise is kept then. Release it.",
      act: found.draft.kept ? "Review and release" : "To the role",
      go: () => navigate(found.draft.kept ? "/releases" : "/roles/stores-overview"),
      done: found.live?.kept === true,
    },
  ];
  const next = steps.findIndex((step) => !step.done);
  return (
    <section aria-label="A first walk" className="guided">
      <div className="row">
        <h3>A first walk, in five steps</h3>
        <span className="grow" />
        <Button size="small" onClick={() => mark("closed")}>
          {next < 0 ? "Done" : "I know my way"}
        </Button>
      </div>
      <ol>
        {steps.map((step, place) => (
          <li key={step.key} className={step.done ? "walk-step done" : place === next ? "walk-step next" : "walk-step"}>
            <b>
              {step.title} {step.done && <span className="soft">done</span>}
            </b>
            <span className="small">{step.text}</span>
            <Button
              size="small"
              type={place === next ? "primary" : "default"}
              onClick={() => {
                mark(step.key);
                step.go();
              }}
            >
              {step.act}
            </Button>
          </li>
        ))}
      </ol>
    </section>
  );
}

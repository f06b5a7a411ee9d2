import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { browsedOwn } from "../../ui/cube/axes";
import { type Answered, CubeTable } from "../../ui/cube/CubeTable";
import { Empty } from "../../ui/Notice";
import { ListedBeneath, MOST_BENEATH } from "../../ui/RowsBeneath";

type Props = { models: Schemas["OwnModel"][]; model: string; cube: string };

/** A cube as it is for who is signed in: the levels and measures that exist for them. */
export function BrowseCube({ models, model, cube }: Props) {
  const owner = models.find((item) => item.name === model);
  const found = owner?.cubes.find((item) => item.name === cube);
  if (!owner || !found) {
    return (
      <Empty title="There is no such cube for you">
        <p>Choose another on the left.</p>
      </Empty>
    );
  }
  return (
    <div className="browsing">
      <h1>{found.label}</h1>
      <CubeTable
        cube={browsedOwn(owner, found)}
        useAnswers={useOwnAnswers}
        who={null}
        beneath={(rows) => <OwnBeneath key={rows.where} model={model} {...rows} />}
      />
    </div>
  );
}

function useOwnAnswers(ask: Schemas["Question"][], enabled: boolean): Answered {
  const asked = useQuery({ ...queries.myAnswers(ask), enabled });
  return { answers: asked.data?.answers ?? [], error: asked.isError ? asked.error.message : null, busy: asked.isFetching };
}

type BeneathProps = { model: string; table: string; title: string; where: string | null; close: () => void };

function OwnBeneath({ model, table, title, where, close }: BeneathProps) {
  const found = useOwnAnswers([{ rows: { model, table, where, limit: MOST_BENEATH, offset: 0 } }], true);
  return <ListedBeneath table={table} title={title} found={found.answers[0]} error={found.error} close={close} />;
}

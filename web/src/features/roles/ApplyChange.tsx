import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button } from "antd";
import { api, data, type PinnedViewer, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { useRights } from "../../state/rights";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";

type Props = { change: Schemas["ChangeQuestion"]; source: string; meant: number; refused: number; viewer: PinnedViewer | undefined };

/** Makes a change that was tried, in the source the rows stay in: in one's own name, by one's own roles as they are live. */
export function ApplyChange({ change, source, meant, refused, viewer }: Props) {
  const { login, may } = useRights();
  const { message, modal } = App.useApp();
  const changed = useChanged();
  const sources = useQuery({ ...queries.sources(), enabled: may("models") });
  const make = useMutation({
    mutationFn: () => data(api.POST("/api/changes", { body: { change, expected: meant } })),
    onSuccess: async (made) => {
      await changed();
      message.success(
        made.changed === 0 ? "No row was meant: nothing was changed." : `${plural(made.changed, "row")} changed in ${source}.`,
      );
    },
  });
  if (!may("models")) return null;
  const kept = sources.data?.sources.find((item) => item.source.name === source)?.source;
  const why = !kept
    ? null
    : !kept.writable
      ? `${source} is not written to; who keeps it can allow that under Settings.`
      : viewer !== login
        ? "A change is made in your own name: pin yourself, then try it."
        : meant === 0
          ? "No row is meant, so there is nothing to make."
          : refused > 0
            ? "Nothing is made while a row is refused."
            : null;
  if (!kept) return null;
  if (why) return <p className="soft small">{why}</p>;
  return (
    <>
      <div className="row">
        <Button
          size="small"
          loading={make.isPending}
          disabled={make.isSuccess}
          onClick={() =>
            modal.confirm({
              title: `Change ${plural(meant, "row")} of ${change.table} in ${source}?`,
              content:
                "It is made in the database at once, if your roles as they are live allow it and no row was changed meanwhile: all of it or nothing. It cannot be taken back from here.",
              okText: "Change them",
              onOk: () => make.mutateAsync().catch(() => undefined),
            })
          }
        >
          Make it in {source}…
        </Button>
        {make.isSuccess && <span className="small">made: {plural(make.data.changed, "row")}</span>}
      </div>
      {make.isError && <Notice kind="bad">{make.error.message}</Notice>}
    </>
  );
}

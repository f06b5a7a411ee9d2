import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Select } from "antd";
import { useState } from "react";
import { api, data, type PinnedViewer, type Role } from "../../api/client";
import { Notice } from "../../ui/Notice";
import { PageView } from "../../ui/PageView";
import { useDelayed } from "../../ui/useDelayed";

/** A page as the viewer sees it with the edit, and whether it opens before and after. */
export function EffectPage({ viewer, role }: { viewer: PinnedViewer; role: Role }) {
  const [chosen, setChosen] = useState<string | null>(null);
  const pages = useQuery({
    queryKey: ["pages", "draft"],
    queryFn: () => data(api.GET("/api/pages", { params: { query: { state: "draft" } } })),
    staleTime: 10_000,
  });
  const settled = useDelayed(role, 120);
  const all = (pages.data?.shelves ?? []).flatMap((shelf) => shelf.pages.map((entry) => entry.page));
  const name = chosen ?? all.find((page) => page.model === role.model)?.name ?? all[0]?.name;
  const looks = useQuery({
    queryKey: ["look", "effect", name, viewer, settled],
    queryFn: async () => {
      const look = (edited: Role[]) =>
        data(api.POST("/api/pages/{page}/look", { params: { path: { page: name ?? "" } }, body: { viewer, edited } }));
      const [before, after] = await Promise.all([look([]).catch(() => null), look([settled])]);
      return { before, after };
    },
    enabled: name !== undefined,
    placeholderData: keepPreviousData,
    retry: false,
  });
  if (pages.data && all.length === 0) return <p className="soft small">There are no pages yet.</p>;
  const could = looks.data?.before?.can_open ?? false;
  const can = looks.data?.after.can_open ?? false;
  return (
    <div className="effect-page">
      <Select
        showSearch
        size="small"
        aria-label="Page"
        style={{ width: "100%", margin: "6px 0" }}
        value={name}
        onChange={setChosen}
        optionFilterProp="label"
        options={all.map((page) => ({ value: page.name, label: page.label ?? page.name }))}
      />
      {looks.isError && <Notice kind="careful">{looks.error.message}</Notice>}
      {looks.data && (
        <p className="small">
          {could === can ? (
            can ? (
              "Opens, before and after this edit."
            ) : (
              ""
            )
          ) : can ? (
            <span className="gained-mark">Would be opened by this edit.</span>
          ) : (
            <span className="lost-mark">Would be closed by this edit.</span>
          )}
        </p>
      )}
      {looks.data && !can && <p className="soft small">{looks.data.after.reason}</p>}
      {looks.data?.after.page && <PageView page={looks.data.after.page} narrow />}
    </div>
  );
}

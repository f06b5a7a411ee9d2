import { useQuery } from "@tanstack/react-query";
import { Button, Drawer } from "antd";
import { useNavigate } from "react-router-dom";
import type { Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { Notice } from "../../ui/Notice";
import { ownPageEdits } from "../../ui/unsavedEdits";
import { when } from "../../ui/when";

/** What a page said before; one version is taken over as an unsaved edit. */
export function OwnPageVersions({ page, close }: { page: Schemas["OwnPageWriting"]; close: () => void }) {
  const navigate = useNavigate();
  const versions = useQuery(queries.myVersions(page.name));
  return (
    <Drawer open onClose={close} title={`Versions of ${page.text.label}`} width={420}>
      {versions.isError && <Notice kind="bad">{versions.error.message}</Notice>}
      {versions.data?.versions.map((item, index) => (
        <div key={item.version} className="version">
          <div className="grow">
            <b>{item.text.label}</b>
            <div className="soft small">
              {when(item.saved_at)}, {item.saved_by} ·{" "}
              {(item.text.exhibits ?? []).map((exhibit) => exhibit.title).join(", ") || "nothing on it"}
            </div>
          </div>
          {index === 0 ? (
            <span className="soft small">as it is now</span>
          ) : (
            page.may_edit && (
              <Button
                size="small"
                onClick={() => {
                  ownPageEdits.change(page.name, page.version, page.text, item.text);
                  navigate(`/my/${encodeURIComponent(page.name)}/edit`);
                  close();
                }}
              >
                Take over
              </Button>
            )
          )}
        </div>
      ))}
    </Drawer>
  );
}

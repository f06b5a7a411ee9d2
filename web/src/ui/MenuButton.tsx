import { Dropdown, type MenuProps } from "antd";
import { useState } from "react";

/** What can be done with a line of a long list. The menu is made when it is first opened: most never are. */
export function MenuButton({ label, className, menu }: { label: string; className: string; menu: () => MenuProps }) {
  /** Not made before it is first opened. */
  const [open, setOpen] = useState<boolean | null>(null);
  if (open === null) {
    return (
      <button
        type="button"
        className={className}
        aria-label={label}
        aria-haspopup="menu"
        aria-expanded={false}
        onClick={() => setOpen(true)}
      >
        ⋯
      </button>
    );
  }
  return (
    <Dropdown trigger={["click"]} open={open} onOpenChange={setOpen} menu={menu()}>
      {/* biome-ignore lint/a11y/noAutofocus: it takes the place of the button that was just pressed, and the focus with it */}
      <button type="button" className={className} aria-label={label} aria-haspopup="menu" autoFocus>
        ⋯
      </button>
    </Dropdown>
  );
}

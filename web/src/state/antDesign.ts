import { theme as antTheme, type ThemeConfig } from "antd";
import { codeFont, colours, type Mode, prefersStillness, textFont } from "./theme";

/** The colours, letters and sizes of Moorland for the parts of Ant Design. */
export function antDesign(mode: Mode): ThemeConfig {
  const c = colours(mode);
  return {
    // The styles are a file (`app/stylesOfParts.ts`); only colours and sizes are set here.
    zeroRuntime: true,
    hashed: false,
    algorithm: mode === "dark" ? [antTheme.darkAlgorithm, antTheme.compactAlgorithm] : [antTheme.compactAlgorithm],
    token: {
      colorPrimary: c.heather,
      colorInfo: c.tarn,
      colorSuccess: c.moss,
      colorWarning: c.gorse,
      colorError: c.rust,
      colorLink: c.heather,
      colorBgBase: c.panel,
      colorBgContainer: c.raised,
      colorBgElevated: c.panel,
      colorBgLayout: c.paper,
      colorTextBase: c.ink,
      colorTextSecondary: c.soft,
      colorTextPlaceholder: c.soft,
      colorBorder: c.line,
      colorBorderSecondary: c.line2,
      colorTextLightSolid: mode === "dark" ? c.rail : c.raised,
      fontFamily: textFont,
      fontFamilyCode: codeFont,
      fontSize: 13.5,
      borderRadius: 4,
      boxShadow: "none",
      boxShadowSecondary: `0 0 0 1px ${c.line}, 0 6px 20px rgb(0 0 0 / 12%)`,
      motion: !prefersStillness(),
      motionDurationMid: "0.12s",
      motionDurationSlow: "0.16s",
      controlHeight: 28,
      // As high as a finger is broad.
      controlHeightSM: 24,
    },
    components: { Checkbox: { colorBorder: c.dash }, Radio: { colorBorder: c.dash } },
  };
}

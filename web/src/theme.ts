import type { ThemeConfig } from "antd";

export const colour = {
  paper: "#F7F5EE", sheet: "#FFFFFF", ink: "#17251F", quiet: "#55625B", line: "#D9D6C8", reed: "#3F6B4F", water: "#1F6F8B",
  clay: "#B4532A", plum: "#7A4B7E", straw: "#C8931A", strawText: "#7A5608", slate: "#2C3A4A", brick: "#A3222A",
} as const;

export const bodyFont = "'Atkinson Hyperlegible Next Variable', 'Atkinson Hyperlegible Next', sans-serif";

export const theme: ThemeConfig = {
  token: {
    colorPrimary: colour.reed, colorInfo: colour.water, colorError: colour.brick, colorWarning: colour.straw, colorSuccess: colour.reed,
    colorText: colour.ink, colorTextSecondary: colour.quiet, colorTextTertiary: colour.quiet, colorTextPlaceholder: "#6b756f",
    colorBorder: "#8b938d", colorBgBase: colour.sheet, colorLink: colour.reed,
    borderRadius: 3, fontFamily: bodyFont, fontSize: 15, controlHeight: 40, wireframe: false,
  },
  components: { Button: { primaryShadow: "none", defaultShadow: "none", fontWeight: 600 }, Table: { headerBg: colour.paper, cellPaddingBlock: 9 } },
};

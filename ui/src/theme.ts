/** The look in one place: Ant Design's tokens; styles.css holds the same colours as variables. */
export const theme = {
  token: {
    colorPrimary: "#1b4f8a",
    colorInfo: "#1b4f8a",
    colorLink: "#1b4f8a",
    colorError: "#b5382a",
    colorWarning: "#a86a00",
    colorSuccess: "#3f6b4f",
    colorText: "#13283b",
    colorTextSecondary: "#526473",
    colorTextPlaceholder: "#64757f",
    colorBorder: "#c6d3dc",
    colorBorderSecondary: "#dde6ec",
    colorBgLayout: "#e8eef2",
    borderRadius: 6,
    fontSize: 14,
    fontFamily: "var(--text)",
    controlHeight: 34,
    wireframe: false,
  },
};

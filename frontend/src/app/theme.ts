import { createVuetify } from "vuetify";
import { aliases, mdi } from "vuetify/iconsets/mdi-svg";
import "vuetify/styles";

const wanted = localStorage.getItem("tidewind.theme");
const dark = wanted ? wanted === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;

/** Roles, not colours: mulberry is pressed or chosen, wheat is time pressing, leaf is done, brick stops. */
export const vuetify = createVuetify({
  icons: { defaultSet: "mdi", aliases, sets: { mdi } },
  theme: {
    defaultTheme: dark ? "dark" : "light",
    themes: {
      light: {
        dark: false,
        colors: {
          background: "#F7F5F2",
          surface: "#FFFFFF",
          primary: "#7A2E54",
          error: "#A63A2B",
          warning: "#8A5A12",
          success: "#3F6B3A",
        },
      },
      dark: {
        dark: true,
        colors: {
          background: "#1C1F22",
          surface: "#24282C",
          primary: "#E0A3C2",
          error: "#F0917F",
          warning: "#E3B35C",
          success: "#9CCB93",
        },
      },
    },
  },
  defaults: {
    global: { ripple: false },
    VBtn: { variant: "flat", color: "primary", rounded: "4", elevation: 0, class: "text-none" },
    VTextField: { variant: "outlined", density: "compact", hideDetails: "auto", color: "primary" },
    VTextarea: { variant: "outlined", density: "compact", hideDetails: "auto", color: "primary" },
    VAutocomplete: {
      variant: "outlined",
      density: "compact",
      hideDetails: "auto",
      color: "primary",
      listProps: { density: "compact" },
    },
    VSelect: {
      variant: "outlined",
      density: "compact",
      hideDetails: "auto",
      color: "primary",
      listProps: { density: "compact" },
    },
    VCheckbox: { density: "compact", hideDetails: true, color: "primary" },
    VDialog: { maxWidth: 620, transition: false },
    VCard: { elevation: 0, border: true, rounded: "4" },
  },
});

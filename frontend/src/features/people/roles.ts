/** What a role may do, in a line, wherever one is chosen. */
export const ROLES = [
  { value: "owner", title: "Owner", may: "everything, money and set-up too" },
  { value: "shipper", title: "Shipper", may: "plans, buys, prints and sees what it costs" },
  { value: "packer", title: "Packer", may: "packs and prints, sees no prices paid" },
  { value: "care", title: "Care", may: "answers buyers, mends addresses, makes returns" },
] as const;
export type Role = (typeof ROLES)[number]["value"];

export const roleName = (role: string) => ROLES.find((r) => r.value === role)?.title ?? role;

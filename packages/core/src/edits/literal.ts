/** A value as JSON gives it. Numbers that must stay exact are sent as text. */
export type Literal = string | number | boolean;

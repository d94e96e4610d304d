/** The type of a value in the language. Choices are texts, keys are of the base of their field. */
export type ValueType = 'text' | 'number' | 'yes_no' | 'date' | 'moment' | 'list' | 'interval' | 'blank';

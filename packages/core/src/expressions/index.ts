export { compileExpression, type Compiled, type Expression, type ExpressionProblem, type Reading } from './expression.js';
export { addDays, CEL_FUNCTIONS, FUNCTIONS, isKnown, textOf } from './functions.js';
export { EXPRESSION_STEPS, Steps } from './steps.js';
export { compileTemplate, type Template } from './template.js';

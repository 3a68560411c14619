export { codeRemark, docComment, isConstant, literalText, propertyText, stringText, templateText } from "./code.js";
export { fileName } from "./file-names.js";
export { markdownBlock, markdownCode, markdownText, mermaidText, mermaidWord, xmlText } from "./markup.js";
export { isQuotedSql, quotedSql, sqlRemark, unquotedSql } from "./sql-remarks.js";
export { escaped, oneLine, visible, visibleLines } from "./visible.js";

// The same application under another name, with other settings: two instances of one interpreter.
import "./orders.mjs";

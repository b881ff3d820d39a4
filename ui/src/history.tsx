import { render } from "preact";
import { HistoryApp } from "./HistoryApp";
import "./style.css";
import "./history.css";

const root = document.getElementById("app")!;
root.replaceChildren();
render(<HistoryApp />, root);

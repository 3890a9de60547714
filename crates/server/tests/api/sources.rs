//! Workbooks as a place to work in: changed, computed, related, brought in again.

use axum::body::{Body, to_bytes};
use axum::http::{Request, StatusCode};
use serde_json::{Value, json};
use tower::ServiceExt;

use crate::office::Office;

const HOLDERS: &[u8] = b"Ref;Name;Balance;Due\nBQ-1;J\xc3\xb6rg Br\xc3\xbcckner;480,50;1.10.2026\nBQ-2;Femke Achterberg;1.248,00;30.11.2026\nBQ-3;Tom;0,00;soon\n";
const INVOICES: &[u8] = b"Number,Holder,Amount\n1,BQ-1,10.00\n2,bq-2,20.00\n3,BQ-2,30.50\n4,BQ-9,40.00\n";
const LINES: &[u8] = b"Invoice,Item\n2,Berth\n2,Power\n3,Crane\n";

/// Holders are sheet 1, invoices 2, lines 3.
async fn office() -> Office {
    let office = Office::empty().await;
    for (name, bytes) in [("holders.csv", HOLDERS), ("invoices.csv", INVOICES), ("lines.csv", LINES)] {
        assert_eq!(office.upload("/api/sources", &[(name, bytes)]).await.0, StatusCode::OK);
    }
    done(&office, "PUT", "/api/sheets/1/columns/2", json!({ "name": "Balance", "type": "money", "currency": "EUR" })).await;
    // Three cells are too few to tell that the one that is none is meant as a date.
    done(&office, "PUT", "/api/sheets/1/columns/3", json!({ "name": "Due", "type": "date" })).await;
    office
}

async fn done(office: &Office, method: &str, path: &str, body: Value) -> Value {
    let (status, answer) = office.ask(method, path, body).await;
    assert_eq!(status, StatusCode::OK, "{method} {path}: {answer}");
    answer
}

/// The rows as `number: cell, cell`.
async fn rows(office: &Office, sheet: u8) -> Vec<String> {
    let page = office.get(&format!("/api/sheets/{sheet}/rows")).await;
    let told = |row: &Value| {
        let cells: Vec<&str> = row["cells"].as_array().expect("cells").iter().map(|c| c["text"].as_str().expect("text")).collect();
        format!("{}: {}", row["number"], cells.join(", "))
    };
    page["rows"].as_array().expect("rows").iter().map(told).collect()
}

#[tokio::test]
async fn cells_are_written_rows_added_moved_and_deleted_and_all_of_it_undone() {
    let office = office().await;
    let before = rows(&office, 1).await;
    let edits =
        json!({ "what": "Paste 2 cells", "cells": [{ "row": 1, "column": 2, "text": "12,75" }, { "row": 3, "column": 3, "text": "" }] });
    done(&office, "POST", "/api/sheets/1/rows", edits).await;
    assert_eq!(rows(&office, 1).await[0], "1: BQ-1, Jörg Brückner, 12.75, 1 Oct 2026");
    let added = json!({ "what": "Add 2 rows", "added": [{ "after": 1, "cells": ["BQ-7"] }, { "after": 1, "cells": ["BQ-8", "Ada"] }] });
    assert_eq!(done(&office, "POST", "/api/sheets/1/rows", added).await["added"], json!([4, 5]));
    done(&office, "POST", "/api/sheets/1/rows", json!({ "what": "Delete row 2", "removed": [2] })).await;
    done(&office, "POST", "/api/sheets/1/rows", json!({ "what": "Move row 3", "moved": { "rows": [3], "after": null } })).await;
    let numbers = |rows: Vec<String>| rows.iter().map(|r| r.split(':').next().unwrap_or_default().to_owned()).collect::<Vec<_>>();
    assert_eq!(numbers(rows(&office, 1).await), ["3", "1", "4", "5"]);
    let after = rows(&office, 1).await;
    for what in ["Move row 3", "Delete row 2", "Add 2 rows", "Paste 2 cells"] {
        assert_eq!(done(&office, "POST", "/api/sheets/1/undo", Value::Null).await["what"], what);
    }
    assert_eq!(rows(&office, 1).await, before);
    assert_eq!(office.get("/api/sheets/1/rows").await["redo"], "Paste 2 cells");
    for _ in 0..4 {
        done(&office, "POST", "/api/sheets/1/redo", Value::Null).await;
    }
    assert_eq!(rows(&office, 1).await, after);
    assert_eq!(done(&office, "POST", "/api/sheets/1/redo", Value::Null).await["what"], Value::Null);
}

#[tokio::test]
async fn a_computed_column_follows_its_inputs_and_tells_its_errors() {
    let office = office().await;
    let tried = done(&office, "POST", "/api/sheets/1/formula", json!({ "formula": "balance * 120%" })).await;
    assert_eq!(
        (&tried["type"], &tried["errors"], &tried["samples"][0]["text"]),
        (&json!("money EUR"), &json!(0), &json!("576.60")),
        "{tried}"
    );
    let tried = done(&office, "POST", "/api/sheets/1/formula", json!({ "formula": "balanse * 2" })).await;
    assert!(tried["problem"].as_str().expect("a problem").contains("Did you mean “Balance”?"), "{tried}");
    let sheet = done(&office, "POST", "/api/sheets/1/columns", json!({ "name": "With VAT", "formula": "balance * 120%" })).await;
    assert_eq!((&sheet["columns"][4]["type"], &sheet["columns"][4]["currency"]), (&json!("money"), &json!("EUR")));
    done(&office, "POST", "/api/sheets/1/columns", json!({ "name": "Days", "formula": "due - date(2026; 10; 1)" })).await;
    let page = office.get("/api/sheets/1/rows").await;
    assert_eq!(page["rows"][1]["cells"][5]["text"], "60");
    assert!(page["rows"][2]["cells"][5]["wrong"].as_str().expect("wrong").contains("“soon”"), "{page}");
    assert_eq!(page["misfits"], json!([0, 0, 0, 1, 0, 1]));
    done(&office, "POST", "/api/sheets/1/rows", json!({ "what": "Write", "cells": [{ "row": 3, "column": 3, "text": "3.10.2026" }] }))
        .await;
    assert_eq!(rows(&office, 1).await[2], "3: BQ-3, Tom, 0.00, 3 Oct 2026, 0.00, 2");
    // Filters and sorting take it like any other.
    let page = office.get("/api/sheets/1/rows?filter=days%20%3E%201&sort=-6").await;
    assert_eq!(page["rows"].as_array().expect("rows").iter().map(|r| r["number"].as_u64()).collect::<Vec<_>>(), [Some(2), Some(3)]);
    let typed = json!({ "what": "Write", "cells": [{ "row": 1, "column": 5, "text": "9" }] });
    assert!(office.refused("POST", "/api/sheets/1/rows", typed).await.contains("calculated by a formula"));
    let own = json!({ "name": "Days", "formula": "days + 1" });
    assert!(office.refused("PUT", "/api/sheets/1/columns/5", own).await.contains("circular reference: Days needs Days"));
}

#[tokio::test]
async fn columns_are_added_renamed_moved_and_deleted_without_losing_cells() {
    let office = office().await;
    done(&office, "DELETE", "/api/sheets/1/columns/1", Value::Null).await;
    done(&office, "POST", "/api/sheets/1/columns", json!({ "name": "Berth", "at": 0 })).await;
    assert_eq!(rows(&office, 1).await[0], "1: , BQ-1, 480.50, 1 Oct 2026");
    done(&office, "POST", "/api/sheets/1/rows", json!({ "what": "Write", "cells": [{ "row": 1, "column": 0, "text": "A10" }] })).await;
    let sheet = done(&office, "PUT", "/api/sheets/1/columns/0", json!({ "name": "Place", "type": "text", "at": 3 })).await;
    assert_eq!(
        sheet["columns"].as_array().expect("columns").iter().map(|c| c["name"].as_str().expect("a name")).collect::<Vec<_>>(),
        ["Ref", "Balance", "Due", "Place"]
    );
    assert_eq!(rows(&office, 1).await[0], "1: BQ-1, 480.50, 1 Oct 2026, A10");
    for _ in 0..4 {
        done(&office, "POST", "/api/sheets/1/undo", Value::Null).await;
    }
    assert_eq!(rows(&office, 1).await[0], "1: BQ-1, Jörg Brückner, 480.50, 1 Oct 2026");
    let taken = json!({ "name": "NAME" });
    assert!(office.refused("POST", "/api/sheets/1/columns", taken).await.contains("olumn “NAME” already exists"));
    // One column may be read by a locale of its own.
    done(&office, "PUT", "/api/sheets/1/columns/2", json!({ "name": "Balance", "type": "number", "locale": "en-US" })).await;
    assert_eq!(office.get("/api/sheets/1/rows").await["rows"][1]["cells"][2]["wrong"], "not a number");
}

#[tokio::test]
async fn relations_hang_lists_on_rows_to_any_depth_and_are_checked() {
    let office = office().await;
    let relation = json!({ "key": "Holder", "other": 1, "other_key": "Ref", "one_name": "Owner", "many_name": "Invoices" });
    let sheet = done(&office, "POST", "/api/sheets/2/relations", relation.clone()).await;
    assert_eq!((&sheet["related"][0]["name"], &sheet["related"][0]["other_name"]), (&json!("Owner"), &json!("holders, holders")));
    let lines = json!({ "key": "Invoice", "other": 2, "other_key": "Number", "one_name": "Invoice sent", "many_name": "Lines" });
    done(&office, "POST", "/api/sheets/3/relations", lines).await;
    assert_eq!(rows(&office, 1).await[1], "2: BQ-2, Femke Achterberg, 1,248.00, 30 Nov 2026, 2 records");
    done(&office, "POST", "/api/sheets/1/columns", json!({ "name": "Lines in all", "formula": "count(invoices.lines)" })).await;
    assert_eq!(rows(&office, 1).await[1], "2: BQ-2, Femke Achterberg, 1,248.00, 30 Nov 2026, 3, 2 records");
    // From the lines up: the invoice, and its owner.
    let fields = office.get("/api/sheets/3/fields?row=1").await;
    assert_eq!(fields[2]["within"][3]["within"][1]["placeholder"], "[: Invoice sent.Owner.Name]", "{fields}");
    let checked = office.get("/api/relations/1").await;
    assert_eq!((&checked["orphans"], &checked["duplicate_count"]), (&json!([{ "row": 4, "key": "BQ-9" }]), &json!(0)));
    assert!(office.refused("POST", "/api/sheets/2/relations", relation).await.contains("olumn “Owner” already exists"));
    assert!(
        office.refused("DELETE", "/api/sheets/2/columns/1", Value::Null).await.contains("is the key of the relation to holders, holders")
    );
    // A renamed key stays the key.
    done(&office, "PUT", "/api/sheets/2/columns/1", json!({ "name": "Holder ref" })).await;
    assert_eq!(office.get("/api/sheets/1/rows").await["rows"][1]["cells"][5]["text"], "2 records");
    done(&office, "DELETE", "/api/relations/1", Value::Null).await;
    assert_eq!(office.get("/api/sheets/1").await["related"], json!([]));
}

#[tokio::test]
async fn a_newer_file_is_looked_at_first_and_taken_over_in_one_step() {
    let office = office().await;
    done(&office, "POST", "/api/sheets/1/columns", json!({ "name": "Half", "formula": "balance / 2" })).await;
    let newer = "Name,Ref,Due,Balance,Phone\nJörg Brückner,BQ-1,2026-10-01,480.50,+44 1632 960 001\nFemke van Achterberg,bq-2,2026-11-30,99.00,\nIdris,BQ-4,2026-12-24,7.00,\n";
    let (status, taken) = office.upload("/api/sheets/1/newer", &[("holders-new.csv", newer.as_bytes())]).await;
    assert_eq!((status, &taken["keys"][0]), (StatusCode::OK, &json!("Name")), "{taken}");
    let file = taken["file"].as_str().expect("a file");
    let look = office.get(&format!("/api/sheets/1/newer?file={file}&name=holders-new.csv&sheet=holders-new&key=Ref")).await;
    assert_eq!((&look["same"], &look["added_count"], &look["changed_count"]), (&json!(0), &json!(1), &json!(2)), "{look}");
    assert_eq!(look["changed"][1]["cells"][0], json!({ "column": "Name", "old": "Femke Achterberg", "new": "Femke van Achterberg" }));
    assert_eq!((&look["new_columns"], &look["gone"][0]["label"]), (&json!(["Phone"]), &json!("Tom")));
    let before = rows(&office, 1).await;
    let body = json!({ "file": file, "name": "holders-new.csv", "sheet": "holders-new", "key": "Ref", "added": true, "changed": true, "gone": true });
    done(&office, "POST", "/api/sheets/1/newer/apply", body).await;
    assert_eq!(
        rows(&office, 1).await,
        [
            "1: BQ-1, Jörg Brückner, 480.50, 1 Oct 2026, 240.25, +44 1632 960 001",
            "2: bq-2, Femke van Achterberg, 99.00, 30 Nov 2026, 49.50, ",
            "4: BQ-4, Idris, 7.00, 24 Dec 2026, 3.50, "
        ]
    );
    assert_eq!(done(&office, "POST", "/api/sheets/1/undo", Value::Null).await["what"], "Update from “holders-new.csv”");
    assert_eq!(rows(&office, 1).await, before);
    // Some of it is left as it is.
    let body = json!({
        "file": file, "name": "holders-new.csv", "sheet": "holders-new", "key": "Ref", "added": true, "changed": true, "gone": true,
        "leave": { "added": [0], "changed": [2], "gone": [3] }
    });
    done(&office, "POST", "/api/sheets/1/newer/apply", body).await;
    let taken: Vec<String> = rows(&office, 1).await.iter().map(|r| r.split(", ").take(2).collect::<Vec<_>>().join(", ")).collect();
    assert_eq!(taken, ["1: BQ-1, Jörg Brückner", "2: BQ-2, Femke Achterberg", "3: BQ-3, Tom"]);

    // Where no column is a key, each that might be one says what keeps it from it.
    let twice = "Ref,Name\nBQ-1,Ada\nBQ-1,Ada\n";
    let refused = office.upload("/api/sheets/1/newer", &[("t.csv", twice.as_bytes())]).await.1;
    assert_eq!(
        refused["message"],
        "No key column: “t.csv” and the sheet need a common column with unique values. The file has “BQ-1” twice in “Ref” (rows 1 and 2). Key values must be unique: correct one or choose another column. The file has “Ada” twice in “Name” (rows 1 and 2). Key values must be unique: correct one or choose another column."
    );
}

#[tokio::test]
async fn a_columns_values_are_counted_and_can_be_filtered_by() {
    let office = office().await;
    let text = "Plate (no.)\tPaid\tSum\nA10\tyes\t12.50\nB7\tno\t12.5\nA10\tyes\t\n";
    let source = done(&office, "POST", "/api/sources/paste", json!({ "name": "Passes", "text": text })).await;
    let sheet = source["sheets"][0]["id"].clone();
    let told = async |column: usize| {
        let all = office.get(&format!("/api/sheets/{sheet}/columns/{column}/values")).await;
        let one = |v: &Value| format!("{} {} ({})", v["count"], v["text"].as_str().unwrap_or("?"), v["condition"].as_str().unwrap_or("?"));
        all["values"].as_array().expect("values").iter().map(one).collect::<Vec<_>>()
    };
    assert_eq!(told(0).await, ["2 A10 ('Plate (no.)' = \"A10\")", "1 B7 ('Plate (no.)' = \"B7\")"]);
    assert_eq!(told(1).await, ["2 yes (Paid)", "1 no (not Paid)"]);
    assert_eq!(told(2).await, ["2 12.50 (Sum = 12.5)", "1  (Sum is blank)"]);
    assert!(office.refused("GET", &format!("/api/sheets/{sheet}/columns/9/values"), Value::Null).await.starts_with("404"));
}

#[tokio::test]
async fn what_is_on_the_clipboard_becomes_a_workbook_and_goes_out_as_a_file() {
    let office = office().await;
    let source =
        done(&office, "POST", "/api/sources/paste", json!({ "name": "From mail", "text": "Berth\tFee\nA10\t12.50\nB7\t=1+1\n" })).await;
    assert_eq!((&source["name"], &source["sheets"][0]["row_count"]), (&json!("From mail"), &json!(2)));
    done(&office, "PUT", "/api/sources/4", json!({ "name": "Fees" })).await;
    for (format, start) in [("csv", &b"\xef\xbb\xbfBerth,Fee"[..]), ("xlsx", b"PK"), ("ods", b"PK"), ("json", b"[")] {
        let request =
            Request::builder().uri(format!("/api/sheets/4/export?format={format}&find=b7")).body(Body::empty()).expect("a request");
        let answer = office.router.clone().oneshot(request).await.expect("answers");
        assert!(answer.headers()["content-disposition"].to_str().expect("text").ends_with(&format!(".{format}")));
        let bytes = to_bytes(answer.into_body(), 1 << 20).await.expect("bytes");
        assert!(bytes.starts_with(start), "{format}");
        if format == "csv" {
            assert_eq!(String::from_utf8_lossy(&bytes[3..]), "Berth,Fee\nB7,'=1+1\n");
        }
    }
    assert!(office.refused("GET", "/api/sheets/4/export?format=doc", Value::Null).await.contains("Choose csv, xlsx, ods or json."));
}

#[tokio::test]
async fn rows_find_room_however_often_one_is_put_in_the_same_place() {
    let office = office().await;
    let before = rows(&office, 1).await;
    for n in 0..60 {
        let added = json!({ "what": "Add a row", "added": [{ "after": 1, "cells": [format!("BQ-{}", 100 + n)] }] });
        done(&office, "POST", "/api/sheets/1/rows", added).await;
    }
    let refs: Vec<String> = rows(&office, 1).await.iter().map(|r| r.split([' ', ',']).nth(1).unwrap_or_default().to_owned()).collect();
    let newest_first = (0..60).rev().map(|n| format!("BQ-{}", 100 + n));
    let wanted: Vec<String> = ["BQ-1".to_owned()].into_iter().chain(newest_first).chain(["BQ-2".to_owned(), "BQ-3".to_owned()]).collect();
    assert_eq!(refs, wanted);
    for _ in 0..60 {
        done(&office, "POST", "/api/sheets/1/undo", Value::Null).await;
    }
    assert_eq!(rows(&office, 1).await, before);
}

#[tokio::test]
async fn undoing_keeps_relations_and_never_gives_two_fields_one_name() {
    let office = office().await;
    let relation = json!({ "key": "Holder", "other": 1, "other_key": "Ref", "one_name": "Owner", "many_name": "Invoices" });
    done(&office, "POST", "/api/sheets/2/relations", relation).await;
    done(&office, "PUT", "/api/sheets/2/columns/1", json!({ "name": "Holder ref" })).await;
    done(&office, "POST", "/api/sheets/2/undo", Value::Null).await;
    assert_eq!(office.get("/api/sheets/1").await["related"][0]["other_key"], "Holder");
    assert_eq!(office.get("/api/sheets/1/rows").await["rows"][1]["cells"][4]["text"], "2 records");
    // A column that is gone may not come back under a name that was taken meanwhile.
    done(&office, "DELETE", "/api/sheets/2/columns/2", Value::Null).await;
    let lines = json!({ "key": "Invoice", "other": 2, "other_key": "Number", "one_name": "Invoice sent", "many_name": "Amount" });
    done(&office, "POST", "/api/sheets/3/relations", lines).await;
    assert!(office.refused("POST", "/api/sheets/2/undo", Value::Null).await.contains("olumn “Amount” already exists"));
    assert_eq!(office.get("/api/sheets/2/rows").await["total"], 4);
    // A source that goes takes its relations along.
    done(&office, "DELETE", "/api/sources/3", Value::Null).await;
    assert_eq!(office.get("/api/sheets/2").await["related"].as_array().expect("relations").len(), 1);
    assert_eq!(office.get("/api/sheets/2/rows").await["rows"][0]["cells"].as_array().expect("cells").len(), 3);
}

#[tokio::test(flavor = "multi_thread")]
async fn the_names_stand_where_they_stand() {
    let office = Office::empty().await;
    // Found below a title, and told.
    let titled = "Brackwater Quay\nas of 1.10.2026\n\nRef;Name;Balance\nBQ-1;Tom;1,50\nBQ-2;Ida;2,00\n";
    let (_, source) = office.upload("/api/sources", &[("titled.csv", titled.as_bytes())]).await;
    let sheet = &source["sheets"][0];
    assert_eq!((&sheet["columns"][2]["name"], &sheet["row_count"]), (&json!("Balance"), &json!(2)));
    assert_eq!(sheet["passed_over"], json!(["Brackwater Quay", "as of 1.10.2026"]));
    let right = done(&office, "DELETE", "/api/sheets/1/header", Value::Null).await;
    assert_eq!(right["passed_over"], Value::Null);

    // Where it can't be known, a person says it; that can be undone.
    let (_, _) =
        office.upload("/api/sources", &[("lead.csv", b"A,B,C\nx,y,1\nRef,Name,Due\nBQ-1,Tom,2026-10-01\nBQ-2,Ida,2026-11-01\n")]).await;
    let named = done(&office, "POST", "/api/sheets/2/header", json!({ "row": 2 })).await;
    let told: Vec<String> = named["columns"]
        .as_array()
        .expect("columns")
        .iter()
        .map(|c| format!("{} {}", c["name"].as_str().unwrap_or("?"), c["type"].as_str().unwrap_or("?")))
        .collect();
    assert_eq!(told, ["Ref text", "Name text", "Due date"]);
    assert_eq!(rows(&office, 2).await, ["3: BQ-1, Tom, 1 Oct 2026", "4: BQ-2, Ida, 1 Nov 2026"]);
    done(&office, "POST", "/api/sheets/2/undo", Value::Null).await;
    assert_eq!(rows(&office, 2).await[..2], ["1: x, y, 1", "2: Ref, Name, Due"]);
    assert!(office.refused("POST", "/api/sheets/2/header", json!({ "row": 4 })).await.contains("No rows below this one"));
    assert!(office.refused("POST", "/api/sheets/2/header", json!({ "row": 99 })).await.starts_with("404"));
    // Two columns of one name stay apart: nothing is changed.
    let (_, _) = office.upload("/api/sources", &[("same.csv", b"A,B\nname,Name\nx,y\n")]).await;
    assert!(office.refused("POST", "/api/sheets/3/header", json!({ "row": 1 })).await.starts_with("422 header"));
    assert_eq!(rows(&office, 3).await.len(), 2);
}

#[tokio::test(flavor = "multi_thread")]
async fn files_beside_a_sheet_are_tied_by_their_names() {
    let office = office().await;
    let mut png = std::io::Cursor::new(Vec::new());
    image::RgbImage::from_pixel(900, 600, image::Rgb([75, 115, 64])).write_to(&mut png, image::ImageFormat::Png).expect("a picture");
    let script = b"<html><script>alert(1)</script></html>";
    let (status, files) = office.upload("/api/sheets/1/files", &[("tom.png", png.get_ref()), ("berth.html", script)]).await;
    assert_eq!((status, files[1]["picture"].as_bool(), files[0]["picture"].as_bool()), (StatusCode::OK, Some(true), Some(false)));
    // By name or by a path that ends with it, whatever the case.
    let cells = json!([{ "row": 1, "column": 1, "text": "Photos/Tom.PNG" }, { "row": 2, "column": 1, "text": "berth.html" }]);
    done(&office, "POST", "/api/sheets/1/rows", json!({ "what": "Name files", "cells": cells })).await;
    let page = office.get("/api/sheets/1/rows").await;
    let named = |row: usize| page["rows"][row]["cells"][1]["files"][0]["name"].clone();
    assert_eq!((named(0), named(1), named(2)), (json!("tom.png"), json!("berth.html"), Value::Null));
    let small = office.bytes("/api/sheets/1/files/tom.png?small=true").await;
    assert!(image::load_from_memory(&small).is_ok_and(|p| p.width() < 500));
    // What is no picture is handed over as a file, never shown.
    let request = Request::builder().uri("/api/sheets/1/files/berth.html").body(Body::empty()).expect("a request");
    let answer = office.router.clone().oneshot(request).await.expect("answers");
    assert_eq!(answer.headers()["content-type"], "application/octet-stream");
    assert!(answer.headers()["content-disposition"].to_str().expect("text").starts_with("attachment"));
    done(&office, "DELETE", "/api/sheets/1/files/tom.png", Value::Null).await;
    assert!(office.refused("GET", "/api/sheets/1/files/tom.png", Value::Null).await.starts_with("404"));
    assert_eq!(office.get("/api/sheets/1/rows").await["rows"][0]["cells"][1]["files"], Value::Null);
}

#[tokio::test(flavor = "multi_thread")]
async fn lists_within_json_are_sheets_of_their_own_that_hang_together() {
    let office = Office::empty().await;
    let cases = json!([
        { "case": "RC-1", "owner": { "name": "Ada" }, "lines": [{ "item": "Mast", "qty": 1, "photos": [{ "file": "a.jpg" }] }, { "item": "Rope", "qty": 3 }] },
        { "case": "RC-2", "owner": { "name": "Tom" }, "lines": [] },
    ]);
    let (status, source) = office.upload("/api/sources", &[("cases.json", cases.to_string().as_bytes())]).await;
    assert_eq!(status, StatusCode::OK, "{source}");
    let names: Vec<&str> = source["sheets"].as_array().expect("sheets").iter().filter_map(|s| s["name"].as_str()).collect();
    assert_eq!(names, ["cases", "lines", "photos"]);
    assert_eq!(rows(&office, 1).await, ["1: RC-1, Ada, 2 records", "2: RC-2, Tom, "]);
    assert_eq!(rows(&office, 2).await, ["1: RC-1·1, RC-1, Mast, 1, RC-1, 1 record", "2: RC-1·2, RC-1, Rope, 3, RC-1, "]);
    // They are worked in like any sheet, and the lists along them are seen by conditions.
    done(&office, "POST", "/api/sheets/2/rows", json!({ "what": "Write 1 cell", "cells": [{ "row": 2, "column": 3, "text": "30" }] }))
        .await;
    done(&office, "POST", "/api/sheets/2/rows", json!({ "what": "Add 1 row", "added": [{ "cells": ["RC-2·1", "RC-2", "Sail", "2"] }] }))
        .await;
    let chosen = |filter: &str| format!("/api/sheets/1/rows?filter={}", filter.replace(' ', "%20").replace('"', "%22"));
    for (filter, total) in
        [("sum(lines.qty) = 31", 1), ("count(lines) = 1", 1), ("count(lines.photos) = 1", 1), ("owner.name = \"Tom\"", 1)]
    {
        assert_eq!(office.get(&chosen(filter)).await["total"], total, "{filter}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_written_cell_shows_at_once_in_what_is_computed_filtered_and_related() {
    let office = office().await;
    done(&office, "POST", "/api/sheets/1/columns", json!({ "name": "Owed twice", "formula": "balance * 2" })).await;
    let relation = json!({ "key": "Holder", "other": 1, "other_key": "Ref", "one_name": "Owner", "many_name": "Invoices" });
    done(&office, "POST", "/api/sheets/2/relations", relation).await;
    let asked = "/api/sheets/1/rows?filter=owed%20twice%20%3E%20100&sort=-3";
    assert_eq!(office.get(asked).await["total"], 2);
    let write = |row: u8, column: u8, text: &str| json!({ "what": "Write", "cells": [{ "row": row, "column": column, "text": text }] });
    done(&office, "POST", "/api/sheets/1/rows", write(3, 2, "900")).await;
    let page = office.get(asked).await;
    let first: Vec<&str> = page["rows"].as_array().expect("rows").iter().filter_map(|r| r["cells"][0]["text"].as_str()).collect();
    assert_eq!(first, ["BQ-2", "BQ-3", "BQ-1"]);
    assert_eq!(page["rows"][1]["cells"][4]["text"], "1,800.00");
    // A key that is written finds its rows, and another sheet sees the new value.
    done(&office, "POST", "/api/sheets/1/rows", write(3, 0, "BQ-9")).await;
    let view = office.get("/api/sheets/1/rows/3").await;
    assert!(view["cells"].to_string().contains("1 record"), "{view}");
    let owners = office.get("/api/sheets/2/rows?filter=owner.balance%20%3D%20900").await;
    assert_eq!(owners["total"], 1, "{owners}");
    // What does not fit is counted, and counted no more.
    done(&office, "POST", "/api/sheets/1/rows", write(1, 2, "much")).await;
    assert_eq!(office.get("/api/sheets/1/rows").await["misfits"][2], 1);
    done(&office, "POST", "/api/sheets/1/undo", Value::Null).await;
    assert_eq!(office.get("/api/sheets/1/rows").await["misfits"][2], 0);
}

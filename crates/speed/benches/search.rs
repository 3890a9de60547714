//! Finding one of 200,000 documents: the beginning of a name, of an address, a word that is
//! everywhere, and the newest of one dispatch. The issue's limit is 50 ms.

use std::hint::black_box;

use criterion::{Criterion, criterion_group, criterion_main};
use mangle_app::store::Store;
use mangle_app::store::search::{self, Search};

/// How many documents.
const DOCUMENTS: usize = 200_000;

/// A store with as many documents of two dispatches, each with its record's values and a recipient.
fn filled(folder: &std::path::Path) -> Store {
    let store = Store::open(&folder.join("mangle.sqlite")).expect("opens");
    let c = store.connection().expect("a connection");
    c.execute_batch(&format!(
        r#"
        INSERT INTO source (id, name, file_name, brought_in) VALUES (1, 'season', '', '2026-11-01');
        INSERT INTO sheet (id, source_id, position, name, columns, decimal_mark, date_order, row_count) VALUES (1, 1, 0, 'Holders', '[]', '.', 'day', 0);
        INSERT INTO template (id, name, key) VALUES (1, 'letter', 'k');
        INSERT INTO template_version (id, template_id, number, file_name, file, size, brought_in) VALUES (1, 1, 1, '', '', 0, '');
        INSERT INTO dispatch (id, key, name, setup, changed) VALUES (1, 'often', 'Often', '{{}}', ''), (2, 'seldom', 'Seldom', '{{}}', '');
        INSERT INTO run (id, dispatch_id, kind, state, started, moment, template_version_id, sheet_id, setup, count)
          VALUES (1, 1, 'run', 'done', '', '', 1, 1, '{{}}', 1), (2, 2, 'run', 'done', '', '', 1, 1, '{{}}', 1);
        WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < {DOCUMENTS})
          INSERT INTO item (id, run_id, position, sheet_id, row, label, record, state, changed, made, file_name, progress)
          SELECT i, iif(i % 100 = 0, 2, 1), i, 1, i, 'Holder ' || i,
            json_object('Last name', char(65 + i % 26) || 'andersen' || (i % 9973), 'Berth', char(65 + i % 7) || (i % 90), 'Boat', 'Boat ' || (i % 4001),
              'Note', 'please keep the berth for the next season', 'Balance', i % 1000),
            'made', '2026-11-02', '2026-11-' || printf('%02d', 1 + i % 28), 'Letter BQ-' || printf('%06d', i), 'delivered' FROM n;
        INSERT INTO delivery (item_id, run_id, channel, kind, name, state, key, recipient, changed)
          SELECT id, run_id, 0, 'email', 'E-mail', 'delivered', id, 'holder' || id || '@post.example', '2026-11-02' FROM item;
        INSERT INTO document (item_id, format, file, name, pages, size, made) SELECT id, 'pdf', id, file_name, 2, 9, made FROM item;
        INSERT INTO item_text (rowid, label, file_name, people, field_values) SELECT * FROM item_words;
        INSERT INTO item_text (item_text) VALUES ('optimize');
        "#
    ))
    .expect("filled");
    drop(c);
    store
}

fn benches(criterion: &mut Criterion) {
    let folder = tempfile::tempdir().expect("a folder");
    let store = filled(folder.path());
    let c = store.connection().expect("a connection");
    let text = |text: &str| Search { text: text.into(), ..Search::default() };
    let asked = [
        ("a file name", text("BQ-123456")),
        ("the beginning of a name", text("qandersen77")),
        ("the beginning of an address", text("holder1999")),
        ("two words that are often", text("season berth")),
        ("two letters", text("an")),
        ("a word of one dispatch", Search { dispatch: "seldom".into(), ..text("berth") }),
        ("the newest of one dispatch", Search { dispatch: "seldom".into(), ..Search::default() }),
        ("a state that is seldom", Search { state: "failed".into(), ..Search::default() }),
        ("a week", Search { from: "2026-11-08".into(), to: "2026-11-15".into(), ..Search::default() }),
    ];
    let mut group = criterion.benchmark_group("search over 200,000 documents");
    group.sample_size(20);
    for (name, search) in &asked {
        group.bench_function(*name, |b| b.iter(|| black_box(search::page(&c, search, 100, 1_001).expect("found"))));
    }
    group.finish();
}

criterion_group!(all, benches);
criterion_main!(all);

//! The tables as Diesel sees them are the tables that the migrations make.

use harbor_demo::testing::Product;
use std::collections::BTreeSet;

/// `table.column Type` for every column of `schema.rs`.
fn as_diesel_sees_them() -> BTreeSet<String> {
    let text = include_str!("../../../store/src/schema.rs");
    let mut out = BTreeSet::new();
    let mut table = "";
    for line in text.lines().map(str::trim) {
        if let Some((column, kind)) = line.strip_suffix(',').and_then(|l| l.split_once(" -> ")) {
            out.insert(format!("{table}.{column} {kind}"));
        } else if let Some((name, _)) = line.strip_suffix('{').and_then(|l| l.split_once(" (")) {
            table = name;
        }
    }
    out
}

#[actix_web::test]
async fn schema_and_migrations_agree() {
    let product = Product::start().await.unwrap();
    let (client, connection) = tokio_postgres::connect(&product.database_url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let sql =
        "select table_name || '.' || column_name || ' ' || case when is_nullable = 'YES' and t.table_type <> 'VIEW' then 'Nullable<' else '' end
                || case udt_name when 'int4' then 'Integer' when 'int8' then 'BigInt' when 'int2' then 'SmallInt'
                   when 'float8' then 'Double' when 'bool' then 'Bool' when 'uuid' then 'Uuid' when 'date' then 'Date'
                   when 'time' then 'Time' when 'timestamptz' then 'Timestamptz' when 'jsonb' then 'Jsonb'
                   when 'bytea' then 'Binary' when '_text' then 'Array<Text>' when '_int4' then 'Array<Integer>' when '_uuid' then 'Array<Uuid>'
                   when 'text' then 'Text' when 'numeric' then 'Numeric' when 'tsvector' then 'Tsvector' else udt_name end
                || case when is_nullable = 'YES' and t.table_type <> 'VIEW' then '>' else '' end as said
         from information_schema.columns c join information_schema.tables t using (table_schema, table_name)
         where table_schema = 'public' and table_name <> '__diesel_schema_migrations'";
    let migrated: BTreeSet<String> =
        client.query(sql, &[]).await.unwrap().iter().map(|row| row.get::<_, String>(0)).collect();
    let seen = as_diesel_sees_them();
    assert!(seen.len() > 200, "the schema was read");
    let missing: Vec<_> = migrated.difference(&seen).collect();
    let invented: Vec<_> = seen.difference(&migrated).collect();
    assert!(missing.is_empty() && invented.is_empty(), "only migrated: {missing:#?}, only in schema.rs: {invented:#?}");
    product.stop().await.unwrap();
}

/// Whatever points at a person or a policy is found by an index: without one, each record that goes reads whole tables.
#[actix_web::test]
async fn what_points_at_people_and_policies_is_found_by_an_index() {
    let product = Product::start().await.unwrap();
    let (client, connection) = tokio_postgres::connect(&product.database_url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let sql = "select c.conrelid::regclass || '.' || a.attname as place
        from pg_constraint c join pg_attribute a on a.attrelid = c.conrelid and a.attnum = c.conkey[1]
        where c.contype = 'f' and c.confrelid in ('people'::regclass, 'coverages'::regclass)
          and not exists (select from pg_index i where i.indrelid = c.conrelid and i.indkey[0] = c.conkey[1])";
    let bare: Vec<String> = client.query(sql, &[]).await.unwrap().iter().map(|row| row.get(0)).collect();
    assert!(bare.is_empty(), "no index: {bare:?}");
    product.stop().await.unwrap();
}

/// The API document knows a type by its name alone: of two with one name, one would be described as the other.
#[test]
fn no_two_types_of_the_api_document_share_a_name() {
    fn sources(folder: &std::path::Path, found: &mut Vec<String>) {
        for entry in std::fs::read_dir(folder).unwrap().flatten() {
            match entry.path() {
                path if path.is_dir() => sources(&path, found),
                path => found.push(std::fs::read_to_string(path).unwrap()),
            }
        }
    }
    let mut files = Vec::new();
    for folder in ["src", "../store/src"] {
        sources(std::path::Path::new(folder), &mut files);
    }
    let mut names: Vec<String> = Vec::new();
    for text in &files {
        let mut described = false;
        for line in text.lines() {
            let words: Vec<&str> = line.split([' ', '{', ';', '(', '<']).filter(|w| !w.is_empty()).collect();
            match words[..] {
                ["pub", "struct" | "enum", name, ..] if described => names.push(name.into()),
                // Rows: `    visits Visit {`, and codes: `    Stage = harbor_core::arrival::Stage;`.
                [table, name]
                    if line.starts_with("    ")
                        && line.ends_with('{')
                        && !["struct", "enum", "impl", "mod"].contains(&table)
                        && table.chars().all(|c| c.is_lowercase() || c == '_')
                        && name.starts_with(char::is_uppercase) =>
                {
                    names.push(name.into())
                }
                [name, "=", path] if path.starts_with("harbor_core::") => names.push(name.into()),
                _ => {}
            }
            described = line.contains("ToSchema") || (described && line.trim_start().starts_with("#["));
        }
    }
    names.sort();
    assert!(names.len() > 300, "the sources were read: {}", names.len());
    let twice: Vec<&String> = names.windows(2).filter(|w| w[0] == w[1]).map(|w| &w[0]).collect();
    assert!(twice.is_empty(), "{twice:?}");
}

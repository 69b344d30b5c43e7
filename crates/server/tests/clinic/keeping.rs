//! What keeps the records: the rights of the program in the database, the head of the record written down outside it,
//! encrypted ways, and a database that was killed.

use crate::guards::run;
use crate::{Hand, id};
use harbor_demo::testing::Product;
use harbor_server::{Settings, Tls, checkpoints};
use harbor_store::Store;
use harbor_store::audit::{Verdict, verify};
use serde_json::json;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;
use tokio::io::{AsyncReadExt, AsyncWriteExt};

fn folder(name: &str) -> PathBuf {
    let folder = std::env::temp_dir().join(format!("harbor-{name}-{}", uuid::Uuid::now_v7().simple()));
    std::fs::create_dir_all(&folder).unwrap();
    folder
}

#[actix_web::test]
async fn the_program_cannot_undo_what_the_database_guards() {
    let product = Product::start().await.unwrap();
    let program = &product.server.state.settings.database_url;
    for (sql, wanted) in [
        ("delete from audit where seq > (select max(seq) - 200 from audit)", "permission denied"),
        ("update audit set detail = ''", "permission denied"),
        ("truncate audit", "permission denied"),
        ("delete from ledger_entries", "permission denied"),
        ("update ledger_transactions set memo = ''", "permission denied"),
        ("update note_signatures set digest = ''", "permission denied"),
        ("delete from consents", "permission denied"),
        ("update restrictions set reason = 'x'", "permission denied"),
        ("alter table audit disable trigger append_only", "must be owner"),
        ("drop trigger append_only on audit", "must be owner"),
        ("drop table audit", "must be owner"),
        (
            "create or replace function refuse_change() returns trigger language plpgsql as 'begin return new; end'",
            "permission denied",
        ),
        ("alter table ledger_entries drop constraint ledger_entries_cents_check", "must be owner"),
        ("set session_replication_role = replica", "permission denied"),
        ("create table mine (id int)", "permission denied"),
        ("create role another superuser", "must be superuser"),
        ("set role harbor", "permission denied"),
        ("copy audit to '/tmp/harbor-audit'", "must be superuser"),
    ] {
        let said = run(program, sql).await.expect_err(sql);
        assert!(said.contains(wanted), "{sql}: {said}");
    }
    assert!(!harbor_store::rights::could_undo(&mut product.server.state.store.reader().await.unwrap()).await.unwrap());
    // Nobody comes in without a password.
    let open = program.replacen(program.split('@').next().unwrap(), "postgres://harbor", 1);
    let refused = tokio_postgres::connect(&open, tokio_postgres::NoTls).await.err().expect("a password is asked for");
    assert!(format!("{refused:?}").contains("password"), "{refused:?}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn rows_lost_from_the_end_of_the_record_are_found() {
    let product = Product::start().await.unwrap();
    let folder = folder("checkpoints");
    let state = &product.server.state;
    let desk = Hand::sign_in(&product, "junia").await;
    for _ in 0..5 {
        desk.get("/api/people?q=ferr").await;
        desk.get(&format!("/api/people/{}", id(&desk.person("Takahashi").await))).await;
    }
    checkpoints::write(&folder, &mut state.store.reader().await.unwrap()).await.unwrap();
    desk.post("/api/sign-out", json!({})).await.ok();
    checkpoints::write(&folder, &mut state.store.reader().await.unwrap()).await.unwrap();
    assert_eq!(checkpoints::read(&folder).unwrap().len(), 2);
    let lost = async || checkpoints::lost(&folder, &mut state.store.reader().await.unwrap()).await.unwrap();
    assert_eq!(lost().await, None);
    // Somebody with all rights takes the last rows: the chain itself still agrees, the checkpoint does not.
    let cut = "alter table audit disable trigger all; delete from audit where seq > (select max(seq) - 3 from audit)";
    run(&product.database_url, cut).await.unwrap();
    let verdict = verify(&mut state.store.reader().await.unwrap()).await.unwrap();
    assert!(matches!(verdict, Verdict::Sound { .. }), "the chain alone tells nothing of its end");
    assert!(lost().await.unwrap().ends_with("is not there any more"));
    // Nor can the file be written to agree: a line changed, left out or made up is found.
    let path = checkpoints::file(&folder);
    let text = std::fs::read_to_string(&path).unwrap();
    let lines: Vec<&str> = text.lines().collect();
    let changed = text.replacen('\t', "\t9", 1);
    let without_first = [lines[0], lines[2]].join("\n");
    let made_up = format!("{text}{}\n", lines[1]);
    for forged in [changed, without_first, made_up] {
        std::fs::write(&path, forged).unwrap();
        let said = checkpoints::read(&folder).unwrap_err().to_string();
        assert!(said.contains("was not signed here, or does not follow"), "{said}");
    }
    let mode = std::os::unix::fs::MetadataExt::mode(&std::fs::metadata(folder.join("audit.key")).unwrap());
    assert_eq!(mode & 0o077, 0, "nobody else reads the key");
    product.stop().await.unwrap();
    std::fs::remove_dir_all(folder).unwrap();
}

/// A certificate for this machine, signed by itself.
fn certificate(folder: &Path) -> Tls {
    let made = rcgen::generate_simple_self_signed(["localhost".to_owned(), "127.0.0.1".to_owned()]).unwrap();
    let tls = Tls { certificate: folder.join("server.pem"), key: folder.join("server.key") };
    std::fs::write(&tls.certificate, made.cert.pem()).unwrap();
    std::fs::write(&tls.key, made.signing_key.serialize_pem()).unwrap();
    tls
}

fn trusting(certificate: &Path) -> tokio_rustls::TlsConnector {
    use rustls::pki_types::pem::PemObject;
    let mut roots = rustls::RootCertStore::empty();
    roots.add(rustls::pki_types::CertificateDer::from_pem_file(certificate).unwrap()).unwrap();
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let config = rustls::ClientConfig::builder_with_provider(provider)
        .with_safe_default_protocol_versions()
        .unwrap()
        .with_root_certificates(roots)
        .with_no_client_auth();
    tokio_rustls::TlsConnector::from(Arc::new(config))
}

const SIGN_IN: &str = r#"{"login":"junia","password":"harbor"}"#;

fn sign_in(more: &str) -> String {
    format!(
        "POST /api/sign-in HTTP/1.1\r\nhost: localhost\r\nconnection: close\r\ncontent-type: application/json\r\n{more}content-length: {}\r\n\r\n{SIGN_IN}",
        SIGN_IN.len()
    )
}

#[actix_web::test]
async fn the_way_to_the_browser_is_encrypted_by_a_setting() {
    let product = Product::start().await.unwrap();
    let folder = folder("tls");
    let tls = certificate(&folder);
    let settings = Settings { tls: Some(tls.clone()), ..product.server.state.settings.clone() };
    let server = harbor_server::start(settings, 0).await.unwrap();
    let at = server.address.trim_start_matches("https://").to_owned();
    let line = tokio::net::TcpStream::connect(&at).await.unwrap();
    let name = rustls::pki_types::ServerName::try_from("localhost").unwrap();
    let mut line = trusting(&tls.certificate).connect(name, line).await.expect("the certificate is ours");
    line.write_all(sign_in("").as_bytes()).await.unwrap();
    let mut answer = String::new();
    let _ = line.read_to_string(&mut answer).await;
    assert!(answer.starts_with("HTTP/1.1 200"), "{answer}");
    assert!(answer.contains("strict-transport-security: max-age=31536000"), "{answer}");
    assert_eq!(answer.matches("; Secure").count(), 2, "both cookies: {answer}");
    // In the clear nothing is said.
    let mut plain = tokio::net::TcpStream::connect(&at).await.unwrap();
    plain.write_all(sign_in("").as_bytes()).await.unwrap();
    let mut said = Vec::new();
    let _ = tokio::time::timeout(Duration::from_secs(5), plain.read_to_end(&mut said)).await;
    assert!(!String::from_utf8_lossy(&said).contains("200 OK"));
    server.stop().await;
    // Behind a proxy that says so, the cookies are for encrypted ways too; without one its words count for nothing.
    let behind = Settings { behind_proxy: true, ..product.server.state.settings.clone() };
    let server = harbor_server::start(behind, 0).await.unwrap();
    for (address, secure) in [(server.address.clone(), true), (product.address().to_owned(), false)] {
        let mut line = tokio::net::TcpStream::connect(address.trim_start_matches("http://")).await.unwrap();
        line.write_all(sign_in("x-forwarded-proto: https\r\nx-forwarded-for: 6.6.6.6, 10.0.0.9\r\n").as_bytes())
            .await
            .unwrap();
        let mut answer = String::new();
        let _ = line.read_to_string(&mut answer).await;
        assert_eq!(answer.contains("; Secure"), secure, "{answer}");
    }
    let manager = Hand::sign_in(&product, "soren").await;
    let staff = manager.get("/api/staff").await;
    let machines: Vec<String> = staff
        .as_array()
        .unwrap()
        .iter()
        .flat_map(|s| s["sessions"].as_array().unwrap())
        .map(|s| s["machine"].as_str().unwrap().to_owned())
        .collect();
    assert!(machines.contains(&"10.0.0.9".to_owned()) && !machines.contains(&"6.6.6.6".to_owned()), "{machines:?}");
    server.stop().await;
    product.stop().await.unwrap();
    std::fs::remove_dir_all(folder).unwrap();
}

#[actix_web::test]
async fn the_way_to_the_database_is_encrypted_and_its_certificate_checked() {
    let folder = harbor_store::cluster::reachable_folder(&folder("pg-tls"));
    let cluster = {
        let folder = folder.clone();
        tokio::task::spawn_blocking(move || harbor_store::cluster::Cluster::start(&folder, false))
            .await
            .unwrap()
            .unwrap()
    };
    let made = certificate(&folder);
    cluster.encrypt(&made.certificate, &made.key).await.unwrap();
    let plain = cluster.url("postgres");
    let trusting = format!("{plain}?sslmode=verify-full&sslrootcert={}", made.certificate.display());
    let store = Store::open(&trusting, 1).await.unwrap();
    assert!(store.answers().await);
    let encrypted = "do $$ begin if not (select ssl from pg_stat_ssl where pid = pg_backend_pid()) then raise 'plain'; end if; end $$";
    use diesel_async::SimpleAsyncConnection;
    store.reader().await.unwrap().batch_execute(encrypted).await.unwrap();
    // The listener goes the same way.
    let (said, mut heard) = tokio::sync::mpsc::unbounded_channel();
    let url = trusting.clone();
    let listener = tokio::spawn(async move {
        harbor_store::wire::listen(&url, "harbor", move |text| said.send(text.to_owned()).unwrap()).await
    });
    let told = async {
        loop {
            store.reader().await.unwrap().batch_execute("notify harbor, 'tiding'").await.unwrap();
            if let Ok(Some(text)) = tokio::time::timeout(Duration::from_millis(100), heard.recv()).await {
                return text;
            }
        }
    };
    assert_eq!(tokio::time::timeout(Duration::from_secs(10), told).await.unwrap(), "tiding");
    listener.abort();
    // Another certificate, or none, is not trusted.
    let other = folder.join("other");
    std::fs::create_dir_all(&other).unwrap();
    let stranger = certificate(&other);
    for untrusted in [
        format!("{plain}?sslmode=require"),
        format!("{plain}?sslmode=require&sslrootcert={}", stranger.certificate.display()),
    ] {
        assert!(harbor_store::wire::connect(&untrusted).await.is_err(), "{untrusted}");
    }
    tokio::task::spawn_blocking(move || cluster.stop()).await.unwrap().unwrap();
    std::fs::remove_dir_all(folder).unwrap();
}

#[actix_web::test]
async fn a_killed_database_is_started_again_and_nothing_is_lost() {
    let folder = folder("killed");
    let wanted = harbor_demo::stack::Wanted {
        port: 0,
        fresh: false,
        now: Some(harbor_demo::testing::now()),
        checkpoints: Some(folder.clone()),
    };
    let stack = harbor_demo::stack::start(&folder.join("postgres"), wanted, |_| {}).await.unwrap();
    let desk = Hand::sign_in_at(&stack.server.address, "junia").await;
    let form = json!({ "firstName": "Wick", "lastName": "Ebbtide", "notATwin": true });
    desk.post("/api/people", form).await.ok();
    let process = stack.cluster.process().expect("a process").to_string();
    assert!(std::process::Command::new("kill").args(["-9", &process]).status().unwrap().success());
    let began = std::time::Instant::now();
    let found = loop {
        let reply = desk.ask("get", "/api/people?q=ebbtide", None).await;
        assert!(matches!(reply.status, 200 | 503), "{} {}", reply.status, reply.body);
        if reply.status == 200 && stack.cluster.process().map(|p| p.to_string()).as_ref() != Some(&process) {
            break reply.body;
        }
        assert!(began.elapsed() < Duration::from_secs(60), "the database did not come back");
        tokio::time::sleep(Duration::from_millis(200)).await;
    };
    assert_eq!(found[0]["person"]["name"], "Ebbtide, Wick");
    assert!(!checkpoints::read(&folder).unwrap().is_empty(), "the head was written down at the start");
    stack.stop().await.unwrap();
    std::fs::remove_dir_all(folder).unwrap();
}

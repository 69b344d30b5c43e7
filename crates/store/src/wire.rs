//! The way to PostgreSQL: plain on loopback, or encrypted with the server's certificate checked.
//!
//! An address with `sslmode=require` (or `verify-full`) is spoken to over TLS; `sslrootcert=FILE` names the certificates
//! in PEM that are trusted. Without a file nothing is trusted, so that a forgotten setting fails and does not leak.

use crate::Conn;
use diesel::{ConnectionError, ConnectionResult};
use rustls::pki_types::CertificateDer;
use rustls::pki_types::pem::PemObject;
use std::str::FromStr;
use std::sync::Arc;
use tokio_postgres::{AsyncMessage, Config, NoTls};
use tokio_postgres_rustls::MakeRustlsConnect;

fn bad(why: impl std::fmt::Display) -> ConnectionError {
    ConnectionError::InvalidConnectionUrl(why.to_string())
}

/// What an address says: where, and the file of trusted certificates if the way is to be encrypted.
pub fn read(url: &str) -> ConnectionResult<(Config, Option<String>)> {
    let (base, query) = url.split_once('?').unwrap_or((url, ""));
    let (mut kept, mut encrypted, mut roots) = (Vec::new(), false, None);
    for pair in query.split('&').filter(|p| !p.is_empty()) {
        match pair.split_once('=') {
            Some(("sslmode", "require" | "verify-ca" | "verify-full")) => {
                encrypted = true;
                kept.push("sslmode=require");
            }
            Some(("sslrootcert", file)) => roots = Some(file.replace("%2F", "/")),
            _ => kept.push(pair),
        }
    }
    let config = Config::from_str(&format!("{base}?{}", kept.join("&"))).map_err(bad)?;
    Ok((config, encrypted.then(|| roots.unwrap_or_default())))
}

fn trusted(file: &str) -> ConnectionResult<MakeRustlsConnect> {
    let mut roots = rustls::RootCertStore::empty();
    if !file.is_empty() {
        for certificate in CertificateDer::pem_file_iter(file).map_err(bad)? {
            roots.add(certificate.map_err(bad)?).map_err(bad)?;
        }
    }
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let config = rustls::ClientConfig::builder_with_provider(provider)
        .with_safe_default_protocol_versions()
        .map_err(bad)?
        .with_root_certificates(roots)
        .with_no_client_auth();
    Ok(MakeRustlsConnect::new(config))
}

fn unreachable(error: tokio_postgres::Error) -> ConnectionError {
    ConnectionError::BadConnection(error.to_string())
}

/// A connection for Diesel.
pub async fn connect(url: &str) -> ConnectionResult<Conn> {
    let (config, encrypted) = read(url)?;
    match encrypted {
        None => {
            let (client, connection) = config.connect(NoTls).await.map_err(unreachable)?;
            Conn::try_from_client_and_connection(client, connection).await
        }
        Some(file) => {
            let (client, connection) = config.connect(trusted(&file)?).await.map_err(unreachable)?;
            Conn::try_from_client_and_connection(client, connection).await
        }
    }
}

/// Listens on a channel until the connection is lost; `hear` gets what is said.
pub async fn listen(url: &str, channel: &str, hear: impl FnMut(&str)) -> Result<(), String> {
    let said = |e: &dyn std::fmt::Display| e.to_string();
    let (config, encrypted) = read(url).map_err(|e| said(&e))?;
    match encrypted {
        None => {
            let (client, connection) = config.connect(NoTls).await.map_err(|e| said(&e))?;
            hear_all(client, connection, channel, hear).await.map_err(|e| said(&e))
        }
        Some(file) => {
            let tls = trusted(&file).map_err(|e| said(&e))?;
            let (client, connection) = config.connect(tls).await.map_err(|e| said(&e))?;
            hear_all(client, connection, channel, hear).await.map_err(|e| said(&e))
        }
    }
}

async fn hear_all<S>(
    client: tokio_postgres::Client,
    mut connection: tokio_postgres::Connection<tokio_postgres::Socket, S>,
    channel: &str,
    mut hear: impl FnMut(&str),
) -> Result<(), tokio_postgres::Error>
where
    S: tokio_postgres::tls::TlsStream + Unpin,
{
    use futures_util::StreamExt;
    let messages = futures_util::stream::poll_fn(move |context| connection.poll_message(context));
    tokio::pin!(messages);
    let asked = format!("listen {channel}");
    let listen = client.batch_execute(&asked);
    tokio::pin!(listen);
    let mut listening = false;
    loop {
        tokio::select! {
            done = &mut listen, if !listening => {
                done?;
                listening = true;
            }
            message = messages.next() => match message {
                Some(Ok(AsyncMessage::Notification(n))) => hear(n.payload()),
                Some(Ok(_)) => {}
                Some(Err(error)) => return Err(error),
                None => return Ok(()),
            }
        }
    }
}

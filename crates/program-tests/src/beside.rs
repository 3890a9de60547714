//! Practice services beside the program.

use std::future::Future;

use anyhow::Result;

/// Serves a practice service for as long as the test runs, whatever becomes of the program.
pub fn beside<F: Future<Output = std::io::Result<()>> + Send>(
    serve: impl FnOnce(tokio::net::TcpListener) -> F + Send + 'static,
) -> Result<u16> {
    let listener = std::net::TcpListener::bind("127.0.0.1:0")?;
    listener.set_nonblocking(true)?;
    let port = listener.local_addr()?.port();
    std::thread::spawn(move || -> Result<()> {
        let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(1).enable_all().build()?;
        Ok(runtime.block_on(async { serve(tokio::net::TcpListener::from_std(listener)?).await })?)
    });
    Ok(port)
}

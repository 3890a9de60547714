//! `mangle serve`: the application on a folder, with the practice mailbox beside
//! it unless another mail server is named.

use std::io::Write;
use std::net::SocketAddr;
use std::path::PathBuf;

use anyhow::{Context, Result};
use mangle_practice::crm;
use mangle_practice::mailbox::{self, Mailbox};
use mangle_practice::printer;
use mangle_practice::timestamp;
use mangle_server::public::{self, Limits, Trusted};
use mangle_server::{BounceMailbox, Channels, Options, Rate, Secret, Security, SignIn};
use tokio::net::TcpListener;

#[derive(clap::Args)]
pub struct Arguments {
    /// Data folder; created if missing
    #[arg(long)]
    folder: PathBuf,
    /// Port of the application; 0 chooses a free port
    #[arg(long, default_value_t = 7600)]
    port: u16,
    #[command(flatten)]
    outside: Outside,
    /// Port of the practice mailbox; 0 chooses a free port
    #[arg(long, default_value_t = 7625)]
    practice_port: u16,
    /// Address and port of public pages (forms, share links); port 0 chooses a free port
    #[arg(long, value_name = "ADDRESS", default_value_t = SocketAddr::from(([127, 0, 0, 1], PUBLIC_PORT)))]
    public_listen: SocketAddr,
    /// Network of a proxy in front of the public pages that says who asks; may be repeated
    #[arg(long, value_name = "CIDR")]
    trusted_proxy: Vec<String>,
}

/// How the world outside is reached.
#[derive(clap::Args)]
pub struct Outside {
    /// SMTP server as host:port, for messages that go over no server of the office's own
    #[arg(long)]
    smtp: Option<String>,
    /// Folder that documents may be put into, as NAME=PATH; may be repeated
    #[arg(long, value_name = "NAME=PATH")]
    allow_folder: Vec<String>,
    /// Host that web hooks may be posted to, and revocation lists fetched from in a private network, as
    /// NAME or NAME:PORT; may be repeated
    #[arg(long, value_name = "HOST")]
    allow_host: Vec<String>,
    /// URL at which others reach the public pages; http://localhost and their port by default
    #[arg(long, value_name = "URL")]
    public_url: Option<String>,
    /// The most messages that leave in a minute
    #[arg(long)]
    mail_per_minute: Option<u32>,
    /// The most messages that leave in an hour
    #[arg(long)]
    mail_per_hour: Option<u32>,
}

/// The port of public pages where none is given.
const PUBLIC_PORT: u16 = 7680;

impl Outside {
    /// What channels get of it where nothing is served.
    pub fn channels(&self) -> Result<Channels> {
        let public_url = match &self.public_url {
            Some(url) => public_url(url)?,
            None => format!("http://localhost:{PUBLIC_PORT}"),
        };
        Ok(Channels {
            smtp: self.smtp.as_deref().map(server).transpose()?,
            email_rate: Rate { per_minute: self.mail_per_minute, per_hour: self.mail_per_hour },
            folders: self.allow_folder.iter().map(|text| allowed(text)).collect::<Result<_>>()?,
            hosts: self.allow_host.clone(),
            public_url: Some(public_url),
            ..Channels::default()
        })
    }
}

pub fn run(arguments: Arguments) -> Result<()> {
    let named = arguments.outside.public_url.is_some();
    let channels = arguments.outside.channels()?;
    let what = What {
        folder: arguments.folder,
        port: arguments.port,
        smtp: channels.smtp,
        practice_port: arguments.practice_port,
        crm_port: None,
        printer_port: None,
        timestamp_port: None,
        free_ports: false,
        email_rate: channels.email_rate,
        folders: channels.folders,
        hosts: channels.hosts,
        public: Public {
            listen: arguments.public_listen,
            url: channels.public_url.filter(|_| named),
            trusted: Trusted::read(&arguments.trusted_proxy)?,
        },
    };
    runtime()?.block_on(async {
        let running = start(what).await?;
        println!("Mangle is running at {}", running.address);
        running.serve().await
    })
}

/// Prints the description of the API, practice services included.
pub fn openapi() -> Result<()> {
    let description = mangle_server::openapi(mailbox_description()?);
    Ok(writeln!(std::io::stdout(), "{}", description.to_pretty_json()?)?)
}

/// What is to be served.
pub struct What {
    pub folder: PathBuf,
    pub port: u16,
    pub smtp: Option<(String, u16)>,
    pub practice_port: u16,
    /// The port of the practice CRM, where one is wanted.
    pub crm_port: Option<u16>,
    /// The port of the practice printer, where one is wanted.
    pub printer_port: Option<u16>,
    /// The port of the practice timestamp authority, where one is wanted.
    pub timestamp_port: Option<u16>,
    /// Whether the application takes a free port where its own is taken.
    pub free_ports: bool,
    /// How many messages may leave.
    pub email_rate: Rate,
    /// The folders that documents may be put into, by their names.
    pub folders: Vec<(String, PathBuf)>,
    /// The hosts that web hooks may be posted to.
    pub hosts: Vec<String>,
    /// Where public pages are.
    pub public: Public,
}

/// Where public pages are.
pub struct Public {
    pub listen: SocketAddr,
    /// The address that others reach them at, where it is not that of this machine.
    pub url: Option<String>,
    pub trusted: Trusted,
}

async fn bind(port: u16, of: &str) -> Result<TcpListener> {
    TcpListener::bind(("127.0.0.1", port)).await.with_context(|| format!("port {port} ({of}) is already in use. Choose another."))
}

/// A port, or a free one where another program has it; says so.
async fn bind_near(port: u16, of: &str) -> Result<TcpListener> {
    if let Ok(listener) = bind(port, of).await {
        return Ok(listener);
    }
    let listener = bind(0, of).await?;
    println!("Port {port} is taken; {of} listens on {}", listener.local_addr()?.port());
    Ok(listener)
}

/// The application, ready to serve.
pub struct Running {
    pub address: String,
    listener: TcpListener,
    router: axum::Router,
    public: (TcpListener, axum::Router, Limits),
    app: mangle_server::App,
    /// Where the practice CRM is.
    crm: Option<String>,
    /// Where the practice printer is.
    printer: Option<String>,
    /// Where the practice timestamp authority is.
    timestamps: Option<String>,
}

impl Running {
    /// Fills a new folder with the demo world.
    pub async fn fill(&self, files: &[(&str, &[u8])]) -> Result<()> {
        mangle_server::demo(&self.app, files).await?;
        if let Some(uri) = &self.printer {
            mangle_server::demo_printer(&self.app, "Front desk", uri).await?;
        }
        if let Some(address) = &self.timestamps {
            mangle_server::demo_timestamps(&self.app, address).await?;
        }
        match &self.crm {
            Some(address) => mangle_server::demo_crm(&self.app, address, crm::TOKEN).await,
            None => Ok(()),
        }
    }

    /// The application's API, to be asked without a port.
    pub fn router(&self) -> axum::Router {
        self.router.clone()
    }

    /// The API of public pages, to be asked without a port.
    pub fn public_router(&self) -> axum::Router {
        self.public.1.clone()
    }

    /// Serves until the process is told to end.
    pub async fn serve(self) -> Result<()> {
        let app = self.app.clone();
        tokio::select! {
            done = mangle_server::serve(self.listener, self.router) => return done,
            done = public::serve(self.public.0, self.public.1, self.public.2) => return done,
            () = told_to_end() => {}
        }
        // What is being handed over is finished, unless the process is told a second time.
        tokio::select! {
            () = app.stop() => {}
            () = told_to_end() => {}
        }
        Ok(())
    }
}

/// Waits for Ctrl C, or for SIGTERM.
pub async fn told_to_end() {
    let interrupted = tokio::signal::ctrl_c();
    match tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate()) {
        Ok(mut terminated) => tokio::select! {
            _ = interrupted => {}
            _ = terminated.recv() => {}
        },
        Err(_) => drop(interrupted.await),
    }
}

pub fn runtime() -> Result<tokio::runtime::Runtime> {
    Ok(tokio::runtime::Builder::new_multi_thread().enable_all().build()?)
}

/// Opens the application and binds its ports.
pub async fn start(what: What) -> Result<Running> {
    let listener = match bind(what.port, "the application").await {
        Err(_) if what.free_ports => bind_near(what.port, "the application").await?,
        bound => bound?,
    };
    let outside = match TcpListener::bind(what.public.listen).await {
        Err(_) if what.free_ports => bind_near(what.public.listen.port(), "public pages").await?,
        bound => {
            bound.with_context(|| format!("{} (public pages) can't be used. Choose another with --public-listen.", what.public.listen))?
        }
    };
    let public_url = match what.public.url {
        Some(url) => url,
        None => format!("http://localhost:{}", outside.local_addr()?.port()),
    };
    let mut more = axum::Router::new();
    let mut bounces = None;
    let smtp = match what.smtp {
        Some(smtp) => smtp,
        None => {
            let mailbox = Mailbox::open(what.folder.join("practice-mailbox"))?;
            let practice = bind_near(what.practice_port, "the practice mailbox").await?;
            let port = practice.local_addr()?.port();
            tokio::spawn(mailbox::serve(practice, mailbox.clone()));
            // What comes back is read from a mailbox of its own.
            let returned = TcpListener::bind(("127.0.0.1", 0)).await?;
            bounces = Some((practice_bounces(returned.local_addr()?.port()), Secret(mailbox::PASSWORD.to_owned())));
            tokio::spawn(mailbox::serve_returned(returned, mailbox.returned.clone()));
            more = mailbox::router(mailbox).split_for_parts().0;
            ("127.0.0.1".to_owned(), port)
        }
    };
    let mut crm_at = None;
    if let Some(port) = what.crm_port {
        let listener = bind_near(port, "the practice CRM").await?;
        crm_at = Some(format!("http://localhost:{}/odata/", listener.local_addr()?.port()));
        tokio::spawn(crm::serve(listener, crm::Crm::new(214)));
    }
    mangle_server::openapi(mailbox_description()?);
    let mut printer_at = None;
    if let Some(port) = what.printer_port {
        let listener = bind_near(port, "the practice printer").await?;
        printer_at = Some(format!("ipp://localhost:{}/ipp/print", listener.local_addr()?.port()));
        tokio::spawn(printer::serve(listener, printer::Printer::default()));
    }
    let mut timestamps = None;
    if let Some(port) = what.timestamp_port {
        let listener = bind_near(port, "the practice timestamp authority").await?;
        timestamps = Some(format!("http://localhost:{}/", listener.local_addr()?.port()));
        tokio::spawn(timestamp::serve(listener, timestamp::TimestampAuthority::new()?));
    }
    let address = format!("http://localhost:{}", listener.local_addr()?.port());
    let channels = Channels {
        smtp: Some(smtp),
        bounces,
        email_rate: what.email_rate,
        folders: what.folders,
        hosts: what.hosts,
        public_url: Some(public_url),
        office_url: Some(address.clone()),
        ..Channels::default()
    };
    let app = mangle_server::app(Options { folder: what.folder, channels }).await?;
    let limits = Limits { trusted: what.public.trusted, ..Limits::default() };
    let public = (outside, public::router(app.clone(), &limits), limits);
    Ok(Running {
        address,
        listener,
        router: mangle_server::router(app.clone(), more),
        public,
        app,
        crm: crm_at,
        printer: printer_at,
        timestamps,
    })
}

/// The mailbox that messages to the practice mailbox come back to.
fn practice_bounces(port: u16) -> BounceMailbox {
    BounceMailbox {
        address: "bounces@brackwater-quay.example".to_owned(),
        host: "127.0.0.1".to_owned(),
        port,
        security: Security::None,
        sign_in: SignIn::Password,
        user: mailbox::USER.to_owned(),
        trust: String::new(),
    }
}

fn mailbox_description() -> Result<utoipa::openapi::OpenApi> {
    let folder = std::env::temp_dir().join(format!("mangle-description-{}", std::process::id()));
    let mailbox = Mailbox::open(&folder)?;
    let description = mailbox::router(mailbox).split_for_parts().1;
    std::fs::remove_dir_all(&folder)?;
    Ok(description)
}

fn server(text: &str) -> Result<(String, u16)> {
    let (host, port) = text.rsplit_once(':').with_context(|| format!("“{text}” is not a mail server. Use host:port."))?;
    Ok((host.to_owned(), port.parse().with_context(|| format!("“{port}” is not a port number"))?))
}

/// `https://forms.office.example`: where public pages are reached, without a slash at its end.
fn public_url(text: &str) -> Result<String> {
    let text = text.trim().trim_end_matches('/');
    let host = text.strip_prefix("https://").or_else(|| text.strip_prefix("http://")).unwrap_or_default();
    let plain = !host.is_empty() && !host.contains(['?', '#', '@', ' ']);
    anyhow::ensure!(plain, "“{text}” is not a URL. Use a form such as https://forms.office.example");
    Ok(text.to_owned())
}

/// `Office=/srv/office`: a folder that documents may be put into, made where it is missing.
fn allowed(text: &str) -> Result<(String, PathBuf)> {
    let (name, path) = text.split_once('=').with_context(|| format!("“{text}” is not a folder. Use NAME=PATH."))?;
    anyhow::ensure!(!name.trim().is_empty() && !path.is_empty(), "“{text}” is not a folder. Use NAME=PATH.");
    std::fs::create_dir_all(path).with_context(|| format!("can't create the folder {path}"))?;
    let path = std::fs::canonicalize(path).with_context(|| format!("can't open the folder {path}"))?;
    Ok((name.trim().to_owned(), path))
}

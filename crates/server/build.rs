//! The front end is embedded; before its first build the folder must be there.
fn main() -> std::io::Result<()> {
    println!("cargo:rerun-if-changed=../../web/dist");
    println!("cargo:rerun-if-changed=migrations");
    std::fs::create_dir_all("../../web/dist")
}

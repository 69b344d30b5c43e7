//! `./harbor attack`: the standing attack in full, with its table.

use anyhow::Result;
use harbor_demo::attack::{WHOLE, run, table};
use std::process::ExitCode;

fn main() -> Result<ExitCode> {
    // The program that is killed lies beside this one.
    let server = std::env::current_exe()?.with_file_name("harbor");
    let all = actix_web::rt::System::new().block_on(run(&server, WHOLE, |part| println!("… {part}")))?;
    print!("{}", table(&all));
    Ok(if all.iter().all(|t| t.wrong == 0) { ExitCode::SUCCESS } else { ExitCode::from(1) })
}

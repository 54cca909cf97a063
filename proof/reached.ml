(* Loaded by tools/prove: writes to the file named by REACHED, once the analysis is over, a line for
   each statement of the core: whether it was reached, its file, line, function and number in it. *)
open Cil_types

let counts s =
  match s.skind with
  | Instr (Skip _) | Block _ | UnspecifiedSequence _ | Goto _ | Break _ | Continue _ | Loop _ -> false
  | _ -> true

let is_core file = String.length file > 6 && String.sub file 0 6 <> "proof/"

let write out kf =
  let f = Kernel_function.get_definition kf in
  let called = Eva.Results.is_called kf in
  let tell number s =
    let place = fst (Cil_datatype.Stmt.loc s) in
    let file = Filepath.Normalized.to_pretty_string place.Filepath.pos_path in
    if counts s && is_core file then
      Printf.fprintf out "%d %s %d %s %d\n"
        (if called && Eva.Results.is_reachable s then 1 else 0)
        file place.Filepath.pos_lnum f.svar.vorig_name number
  in
  List.iteri tell f.sallstmts

let () =
  Db.Main.extend (fun () ->
      match Sys.getenv_opt "REACHED" with
      | Some name when Eva.Analysis.is_computed () ->
          let out = open_out name in
          Globals.Functions.iter (fun kf ->
              if Kernel_function.is_definition kf then write out kf);
          close_out out
      | _ -> ())
